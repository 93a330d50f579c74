import type { BlobVerdict, Box } from '@causalis/contract';
import { knownThings, ownerAmong, parted } from './apart.js';
import { around, type Blob, BlobFinder, boxOf, type Edges, groupBlobs } from './blobs.js';
import { BlockCounter } from './blocks.js';
import { differsBy } from './differs.js';
import { type GreyPicture, type Grid, gridFor } from './grid.js';
import { Kernel, type OpsFor, plainOpsFor } from './kernel/kernel.js';
import { type AreaShape, fillArea } from './mask.js';
import { type BlobNature, natureOf, verdictOf } from './nature.js';
import { withoutShadow } from './shadow.js';
import { type Track, Tracker } from './tracks.js';
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
/** Changed cells, with one row around them, that must hang together to be looked at: below it is noise. */
const leastCells = 12;
/** A picture darker than the first of these is night, until it is lighter than the second; grey levels. */
const nightBelow = 46;
const dayAbove = 58;
/** A place is restless when it usually moves by this share of the difference. */
const restlessShare = 0.2;
/** In a restless place only what goes somewhere counts: this far, in its own sizes. */
const travelSizes = 0.75;
/** Before it is known how much a place moves by itself, it must go at least this far: a share of the picture. */
const youngTravel = 0.04;
/** A thing that goes somewhere is not learned as sway, with so many cells around it. */
const holdMargin = 2;
const mostBlobs = 60;
const mostPath = 60;
/** So many things that were there for a picture or two, within so long, are rain or snow: then only what stays counts. */
const showers = { things: 14, withinMs: 6_000, sightings: 2 };
/** What stays was seen so steadily. */
const steadily = 3;
/** What is smaller than this share of the picture is not followed. */
const leastFollowed = 0.0002;

interface WatchedZone {
  readonly name: string;
  readonly mask: Uint8Array;
  readonly size: number;
  readonly everyChange: boolean;
  state: ZoneState;
}

/** The pieces of one thing, with what was found out about it. */
interface Judged {
  readonly pieces: readonly Blob[];
  readonly edges: Edges;
  readonly cells: number;
  readonly box: Box;
  readonly size: number;
  /** How many of its cells lie in each zone. */
  readonly inZones: readonly number[];
  nature: BlobNature;
  verdict: BlobVerdict;
  track?: Track;
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
  readonly finder: BlobFinder;
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
  private readonly tracker = new Tracker({ forgetMs: 1_500, reach: 1.5 });
  /** The mildest verdict of each track so far. */
  /** Where each track was until it proved to go somewhere. */
  private readonly paths = new Map<number, readonly Edges[]>();
  private readonly verdicts = new Map<number, BlobVerdict>();
  private readonly removed: Partial<Record<BlobVerdict, number>> = {};
  /** When the last picture came, and the last one that was not sent before. */
  private lastMs = Number.NEGATIVE_INFINITY;
  private newMs = Number.NEGATIVE_INFINITY;
  private shown: Shown | undefined;
  private settledAt = 0;
  private allSince: number | undefined;
  private night = false;
  /** When things that were hardly there ended, of the last seconds. */
  private fleeting: number[] = [];
  private ended: readonly Track[] = [];

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
    const { atLeastMs } = this.settings;
    return this.tracker.tracks.filter(
      ({ id, firstMs, lastMs, travelled }) =>
        lastMs === this.newMs && lastMs - firstMs >= atLeastMs && travelled > 0 && this.verdicts.get(id) === 'counted',
    );
  }
  get gone(): readonly Track[] {
    return this.ended;
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

  /** Begins anew: what comes next cannot be compared with what was. */
  unsettle(timeMs: number): MotionChange[] {
    const changes = this.endAll();
    this.prepared?.kernel.reset();
    this.ended = this.tracker.reset();
    this.forget(this.ended);
    this.settledAt = timeMs + settleMs;
    this.allSince = undefined;
    this.fleeting = [];
    this.shown = undefined;
    return changes;
  }

  /** Judges one picture. `dark` says that the sun at the site is down; the picture's own brightness may say so too. */
  see(picture: GreyPicture, dark = false): MotionLook {
    this.ended = [];
    const changes: MotionChange[] = [];
    const size = `${picture.width}x${picture.height}`;
    if (this.prepared?.pictureSize !== size) {
      changes.push(...this.unsettle(picture.timeMs));
      this.prepared = this.prepare(picture, size);
    } else if (picture.timeMs - this.lastMs > gapMs) changes.push(...this.unsettle(picture.timeMs));
    const { prepared } = this;
    const { timeMs } = picture;
    const isNew = timeMs - this.newMs > repeatedMs || !prepared.kernel.hasJustSeen(picture);
    const isDark = dark || this.night;
    const values = isDark ? { ...this.settings, ...this.settings.dark } : this.settings;
    prepared.kernel.difference = values.difference;
    const { changed } = prepared.kernel.see(picture, Math.max(1, Math.min(gapMs, timeMs - this.lastMs)));
    this.lastMs = timeMs;
    const shown = (!isNew && this.shown) || this.judge(prepared, values, changed, timeMs, changes);
    this.shown = shown;
    const { settling, blobs } = shown;
    const zones = prepared.zones.map((zone, i) => {
      const { level, passes, counted } = shown.zones[i];
      this.move(zone, passes, level, counted, timeMs, values, changes);
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
      removed: this.removed,
    };
  }

  /** What a picture shows that was not sent before. */
  private judge(prepared: Prepared, values: MotionValues, changed: number, timeMs: number, changes: MotionChange[]): Shown {
    this.newMs = timeMs;
    this.night = prepared.kernel.brightness < (this.night ? dayAbove : nightBelow);
    const flooded = this.flooded(prepared.kernel, changed, timeMs, changes);
    const settling = timeMs < this.settledAt;
    const restless = timeMs < this.settledAt + youngMs ? 0 : values.difference * restlessShare;
    const judged = flooded ? [] : this.judgeAll(prepared, values, timeMs, restless);
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
      blocks: prepared.blocks.count(pieces, prepared.finder.cells),
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
      finder: new BlobFinder(grid.width, grid.height),
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

  private judgeAll({ grid, kernel, finder, zones }: Prepared, values: MotionValues, timeMs: number, restless: number): Judged[] {
    const { width, height } = grid;
    const { grown, hold } = kernel.memory;
    const found = finder.find(grown, leastCells);
    if (found.length > mostBlobs) found.sort((a, b) => b.cells - a.cells).length = mostBlobs;
    const wet = this.fleeting.length >= showers.things;
    const known = knownThings(this.tracker.tracks, (id) => this.verdicts.get(id) === 'counted', timeMs);
    const groups = groupBlobs(found, !wet, ownerAmong(known, width, height)).flatMap((group) => parted(group, finder.cells, known, grid));
    const judged = groups.map((pieces): Judged => {
      const edges = withoutShadow(pieces, around(pieces), finder.cells, kernel);
      // The mask has one cell around each thing.
      const tight = { left: edges.left + 1, top: edges.top + 1, right: edges.right - 1, foot: edges.foot - 1 };
      const box = boxOf(tight, width, height);
      const inZones = zones.map(({ mask }) => {
        let count = 0;
        for (const { from, cells } of pieces) for (let k = from; k < from + cells; k++) count += mask[finder.cells[k]];
        return count;
      });
      const size = box[2] * box[3];
      const nature = size < leastFollowed ? 'thing' : natureOf(pieces, finder.cells, kernel, restless);
      return { pieces, edges, box, size, inZones, nature, verdict: 'outside', cells: pieces.reduce((sum, { cells }) => sum + cells, 0) };
    });
    const followed = judged.filter(({ size }) => size >= leastFollowed);
    const { of, ended } = this.tracker.see(followed, timeMs);
    this.ended = [...this.ended, ...ended];
    this.forget(ended);
    this.fleeting = [
      ...this.fleeting.filter((at) => timeMs - at < showers.withinMs),
      ...ended.filter(({ seen }) => seen <= showers.sightings).map(() => timeMs),
    ];
    hold.fill(0);
    followed.forEach((one, i) => {
      const track = of[i];
      one.track = track;
      const far = track.travelled / Math.max(restless === 0 ? youngTravel / travelSizes : 0.01, Math.min(one.box[2], one.box[3]));
      if (far < travelSizes) this.paths.set(track.id, [...(this.paths.get(track.id) ?? []), one.edges].slice(-mostPath));
      else {
        for (const edges of this.paths.get(track.id) ?? []) kernel.takeBack(edges);
        this.paths.delete(track.id);
      }
      if (one.nature === 'sways' && far >= travelSizes && (restless > 0 || track.steady > 0)) one.nature = 'thing';
      if (wet && one.nature === 'thing' && track.steady < steadily) one.nature = 'fleeting';
      one.verdict = verdictOf(one, values);
      if (one.nature === 'thing' && far >= travelSizes) holdBox(hold, one.edges, width, height);
      const before = this.verdicts.get(track.id);
      if (before !== 'counted') this.verdicts.set(track.id, one.verdict);
    });
    for (const one of judged) if (!one.track) one.verdict = verdictOf(one, values);
    return judged;
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

  private forget(ended: readonly Track[]): void {
    for (const { id, seen } of ended) {
      const verdict = this.verdicts.get(id);
      this.verdicts.delete(id);
      this.paths.delete(id);
      if (verdict && verdict !== 'counted' && seen > 1) this.removed[verdict] = (this.removed[verdict] ?? 0) + 1;
    }
  }
}

function holdBox(hold: Uint8Array, { left, top, right, foot }: Edges, width: number, height: number): void {
  const from = Math.max(0, left - holdMargin);
  const to = Math.min(width, right + 1 + holdMargin);
  for (let y = Math.max(0, top - holdMargin); y < Math.min(height, foot + 1 + holdMargin); y++)
    hold.fill(255, y * width + from, y * width + to);
}

/** Makes a detector of motion for one camera. */
export const motionDetector = (settings: MotionSettings, opsFor?: OpsFor): MotionDetector => new MotionDetector(settings, opsFor);
