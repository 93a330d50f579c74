import type { BlobVerdict, Box } from '@causalis/contract';
import { BlockCounter } from './blocks.js';
import { differsBy } from './differs.js';
import { type GreyPicture, type Grid, gridFor } from './grid.js';
import { Kernel } from './kernel/kernel.js';
import { type OpsFor, plainOpsFor } from './kernel/ops.js';
import { type AreaShape, fillArea } from './mask.js';
import type { BlobNature } from './nature.js';
import { type Judged, Things } from './things.js';
import type { Track } from './tracks.js';
import { atRest, nextZoneState, type ZoneChange, type ZoneState } from './zone-state.js';

/** The values by which motion is judged: shares as fractions, times in ms. */
export interface MotionValues {
  readonly difference: number;
  readonly threshold: number;
  readonly smallest: number;
  readonly largest: number;
  readonly atLeastMs: number;
  readonly quietMs: number;
  readonly pauseMs: number;
}

export interface WatchedArea {
  readonly name: string;
  readonly area: AreaShape;
  /** No filter holds here: any change that is as large as the threshold counts. */
  readonly everyChange?: boolean;
}

/** How one camera is watched, in plain numbers. */
export interface MotionSettings extends MotionValues {
  readonly zones: readonly WatchedArea[];
  readonly ignored: readonly AreaShape[];
  /** What is different in the dark. */
  readonly dark?: Partial<MotionValues>;
}

/** Motion that began or ended in a zone. */
export interface MotionChange {
  readonly change: ZoneChange;
  readonly zone: string;
  /** When it first passed, and last passed. */
  readonly firstMs: number;
  readonly lastMs: number;
  /** Highest level so far, and the threshold it had to pass. */
  readonly level: number;
  readonly threshold: number;
  readonly box?: Box;
}

/** What moves on one picture, and what the filters made of it. */
export interface SeenBlob {
  readonly box: Box;
  readonly verdict: BlobVerdict;
  /** What it is by itself, whatever is drawn and set. */
  readonly nature: BlobNature;
  /** Changed cells in each block of the picture, row by row: block, count, block, count … */
  readonly blocks: readonly number[];
  /** The track that it belongs to. */
  readonly track: number;
  /** Share of the picture that its box covers: what `smallest` and `largest` are held against. */
  readonly size: number;
}

/** What the detector made of one picture. */
export interface MotionLook {
  /** The background is still being learned: nothing begins. */
  readonly settling: boolean;
  /** The values for the dark are in force. */
  readonly dark: boolean;
  /** The values in force: grey levels, and a share of each zone. */
  readonly difference: number;
  readonly threshold: number;
  readonly zones: readonly { readonly zone: string; readonly level: number; readonly state: ZoneState['name'] }[];
  readonly blobs: readonly SeenBlob[];
  readonly changes: readonly MotionChange[];
  /** How many things each filter has removed since the detector began: a thing counts once, when it is gone. */
  readonly removed: Readonly<Partial<Record<BlobVerdict, number>>>;
}

/** The name of the zone that stands for the whole picture when none is drawn. */
export const wholePicture = 'picture';

/** The background is trusted after this long; after a change of the whole picture it was seen before. */
const settleMs = 3_000;
/** For so long after, how much a place moves by itself is not known well: only what goes somewhere counts. */
const youngMs = 12_000;
/** A gap in the pictures as long as this begins anew: nobody knows what happened in it. */
const gapMs = 3_000;
/** A camera that sends a picture again has nothing new to say for so long: what moved goes on moving. */
const repeatedMs = 1_200;
/** More than this share changed at once is no object: lightning, a lamp, another picture. */
const allChanged = 0.5;
/** When it lasts, it is another picture, and is learned anew. */
const anewMs = 1_200;
/** A picture darker than the first of these is night, until it is lighter than the second; grey levels. */
const nightBelow = 46;
const dayAbove = 58;
/** A place is restless when it usually moves by this share of the difference. */
const restlessShare = 0.2;

interface WatchedZone {
  readonly name: string;
  readonly mask: Uint8Array;
  readonly size: number;
  readonly everyChange: boolean;
  state: ZoneState;
}

/** What a picture shows, before anything begins or ends by it. */
interface Shown {
  readonly settling: boolean;
  readonly blobs: readonly SeenBlob[];
  /** Of each zone: its level, what counts in it, and whether that is enough. */
  readonly zones: readonly { readonly level: number; readonly passes: boolean; readonly counted: readonly Judged[] }[];
}

/** All that belongs to one size of picture. */
interface Prepared {
  readonly grid: Grid;
  readonly pictureSize: string;
  readonly kernel: Kernel;
  readonly blocks: BlockCounter;
  readonly zones: readonly WatchedZone[];
}

/**
 * Detects motion for one camera. Pictures go in one by one with the time of their arrival; zones are judged apart,
 * each with its own mask, level, state and span. Deterministic: the same pictures give the same looks.
 */
export class MotionDetector {
  private readonly settings: MotionSettings;
  private readonly opsFor: OpsFor;
  private prepared: Prepared | undefined;
  private readonly found = new Things();
  /** When the last picture came, and the last one that was not sent before. */
  private lastMs = Number.NEGATIVE_INFINITY;
  private newMs = Number.NEGATIVE_INFINITY;
  private shown: Shown | undefined;
  private settledAt = 0;
  private allSince: number | undefined;
  private night = false;

  constructor(settings: MotionSettings, opsFor: OpsFor = plainOpsFor) {
    this.settings = settings;
    this.opsFor = opsFor;
  }

  /** The background of what is watched, for whoever looks at the picture as a whole. */
  get kernel(): Kernel | undefined {
    return this.prepared?.kernel;
  }

  /** Things that count, have gone somewhere and have been there as long as motion must last, as they were last seen; and those that are gone since. */
  get things(): readonly Track[] {
    return this.found.lasting(this.settings.atLeastMs);
  }
  get gone(): readonly Track[] {
    return this.found.gone;
  }

  /** By how many grey levels the most different cells of a zone differ now, as many as its threshold asks for. */
  differs(name: string, threshold: number): number {
    const zone = this.prepared?.zones.find((one) => one.name === name);
    return zone && this.prepared ? differsBy(this.prepared.kernel, zone.mask, zone.size, threshold) : 0;
  }

  /** The longest motion that goes on now. */
  get moving(): { readonly firstMs: number; readonly lastMs: number } | undefined {
    const states = (this.prepared?.zones ?? []).flatMap(({ state }) => (state.name === 'moving' ? [state] : []));
    return states.sort((a, b) => a.firstMs - b.firstMs)[0];
  }

  /** Nothing more is looked at: the memory that was shared is given back. */
  end(): void {
    this.prepared?.kernel.end();
    this.prepared = undefined;
  }

  /** Where a picture of this size may be decoded right to where it is looked at; nothing before the first of that size. */
  roomFor(width: number, height: number): Uint8Array | undefined {
    return this.prepared?.pictureSize === `${width}x${height}` ? this.prepared.kernel.memory.picture : undefined;
  }

  /** Begins anew: what comes next cannot be compared with what was. */
  unsettle(timeMs: number): MotionChange[] {
    const changes = this.endAll();
    this.prepared?.kernel.reset();
    this.found.reset(this.settings.atLeastMs);
    this.settledAt = timeMs + settleMs;
    this.allSince = undefined;
    this.shown = undefined;
    return changes;
  }

  /** Judges one picture. `dark` says that the sun at the site is down; the picture's own brightness may say so too. */
  see(picture: GreyPicture, dark = false): MotionLook {
    this.found.gone = [];
    const changes: MotionChange[] = [];
    const size = `${picture.width}x${picture.height}`;
    if (this.prepared?.pictureSize !== size) {
      changes.push(...this.unsettle(picture.timeMs));
      this.end();
      this.prepared = this.prepare(picture, size);
    } else if (picture.timeMs - this.lastMs > gapMs) changes.push(...this.unsettle(picture.timeMs));
    const { prepared } = this;
    const { timeMs } = picture;
    const isDark = dark || this.night;
    const values = isDark ? { ...this.settings, ...this.settings.dark } : this.settings;
    prepared.kernel.difference = values.difference;
    const { changed, repeated } = prepared.kernel.see(picture, Math.max(1, Math.min(gapMs, timeMs - this.lastMs)));
    this.lastMs = timeMs;
    const before = repeated && timeMs - this.newMs <= repeatedMs ? this.shown : undefined;
    const shown = before ?? this.judge(prepared, values, changed, timeMs, changes);
    this.shown = shown;
    const { settling, blobs } = shown;
    const zones = prepared.zones.map((zone, i) => {
      const { level, passes, counted } = shown.zones[i];
      // What was seen on one picture only goes on for as long as that is sent again: nothing begins by it.
      if (!before || zone.state.name === 'moving') this.move(zone, passes, level, counted, timeMs, values, changes);
      return { zone: zone.name, level, state: zone.state.name };
    });
    return {
      settling,
      dark: isDark,
      difference: values.difference,
      threshold: values.threshold,
      zones,
      blobs,
      changes,
      removed: this.found.removed,
    };
  }

  /** What a picture shows that was not sent before. */
  private judge(prepared: Prepared, values: MotionValues, changed: number, timeMs: number, changes: MotionChange[]): Shown {
    this.newMs = timeMs;
    this.night = prepared.kernel.brightness < (this.night ? dayAbove : nightBelow);
    const flooded = this.flooded(prepared.kernel, changed, timeMs, changes);
    const settling = timeMs < this.settledAt;
    const restless = timeMs < this.settledAt + youngMs ? 0 : values.difference * restlessShare;
    const masks = prepared.zones.map(({ mask }) => mask);
    const judged = flooded ? [] : this.found.see(prepared, masks, values, timeMs, restless);
    const zones = prepared.zones.map((zone, i) => {
      const counted = judged.filter((one) => one.inZones[i] > 0 && (zone.everyChange || one.verdict === 'counted'));
      const cells = counted.reduce((sum, one) => sum + one.inZones[i], 0);
      const level = zone.size === 0 ? 0 : cells / zone.size;
      return { level, counted, passes: !settling && counted.length > 0 && level >= values.threshold };
    });
    const blobs = judged.map(({ box, verdict, nature, track, size, pieces }) => ({
      box,
      verdict,
      nature,
      track: track?.id ?? 0,
      size,
      blocks: prepared.blocks.count(pieces, prepared.kernel.memory.listed),
    }));
    return { settling, blobs, zones };
  }

  private prepare({ width, height, bytes }: GreyPicture, pictureSize: string): Prepared {
    const grid = gridFor(width, height);
    const size = grid.width * grid.height;
    const ignored = this.settings.ignored.map((area) => fillArea(area, grid.width, grid.height));
    const drawn = this.settings.zones.map(({ name, area, everyChange = false }) => ({
      name,
      everyChange,
      mask: fillArea(area, grid.width, grid.height),
    }));
    if (drawn.length === 0) drawn.push({ name: wholePicture, everyChange: false, mask: new Uint8Array(size).fill(1) });
    const zones = drawn.map(({ name, mask, everyChange }) => {
      for (const area of ignored) for (let i = 0; i < size; i++) if (area[i] === 1) mask[i] = 0;
      return { name, mask, everyChange, size: mask.reduce((sum, cell) => sum + cell, 0), state: atRest };
    });
    return {
      grid,
      pictureSize,
      kernel: new Kernel(grid, bytes.length, this.settings.difference, this.opsFor),
      blocks: new BlockCounter(grid),
      zones,
    };
  }

  /** A flash is waited for; a lamp that is switched back shows what is known; another picture begins anew. */
  private flooded(kernel: Kernel, changed: number, timeMs: number, changes: MotionChange[]): boolean {
    if (changed <= allChanged) {
      this.allSince = undefined;
      return false;
    }
    if (this.allSince === undefined) kernel.keep();
    this.allSince ??= timeMs;
    if (kernel.returnToOther()) this.allSince = undefined;
    else if (timeMs - this.allSince >= anewMs) {
      changes.push(...this.unsettle(timeMs));
      kernel.setAside();
    }
    return true;
  }

  private move(
    zone: WatchedZone,
    passes: boolean,
    level: number,
    counted: readonly Judged[],
    timeMs: number,
    values: MotionValues,
    changes: MotionChange[],
  ): void {
    const before = zone.state;
    const { state, change } = nextZoneState(before, passes, level, timeMs, values);
    zone.state = state;
    if (!change) return;
    const spanned = state.name === 'quiet' ? before : state;
    if (spanned.name === 'quiet') return;
    const largest = counted.reduce<Judged | undefined>((most, one) => (most && most.cells >= one.cells ? most : one), undefined);
    changes.push({
      change,
      zone: zone.name,
      firstMs: spanned.firstMs,
      lastMs: spanned.lastMs,
      level: spanned.peak,
      threshold: values.threshold,
      ...(largest ? { box: largest.box } : {}),
    });
  }

  /** Ends what still moves, because what comes next cannot be compared with what was. */
  private endAll(): MotionChange[] {
    return (this.prepared?.zones ?? []).flatMap((zone) => {
      const state = zone.state;
      zone.state = atRest;
      if (state.name !== 'moving') return [];
      const { firstMs, lastMs, peak } = state;
      return [{ change: 'ended' as const, zone: zone.name, firstMs, lastMs, level: peak, threshold: this.settings.threshold }];
    });
  }
}

/** Makes a detector of motion for one camera. */
export const motionDetector = (settings: MotionSettings, opsFor?: OpsFor): MotionDetector => new MotionDetector(settings, opsFor);
