import type { BlobVerdict, Box, Position } from '@causalis/contract';
import { type Blob, boxOf, findBlobs } from './blobs.js';
import { type GreyPicture, type Grid, gridFor, reduce } from './grid.js';
import { type KernelSettings, type MotionKernel, plainKernel } from './kernel.js';
import { despeckle, fillPolygon, grow } from './mask.js';
import { atRest, nextZoneState, type ZoneChange, type ZoneState } from './zone-state.js';

/** How one camera is watched, in plain numbers: shares as fractions, times in ms. */
export interface MotionSettings {
  readonly difference: number;
  readonly threshold: number;
  readonly smallest: number;
  readonly largest: number;
  readonly atLeastMs: number;
  readonly quietMs: number;
  readonly zones: readonly { readonly name: string; readonly corners: readonly Position[] }[];
  readonly ignored: readonly (readonly Position[])[];
}

/** Motion that began or ended in a zone. */
export interface MotionChange {
  readonly change: ZoneChange;
  readonly zone: string;
  /** When it first passed, and last passed. */
  readonly firstMs: number;
  readonly lastMs: number;
  /** Highest level so far. */
  readonly level: number;
  readonly box?: Box;
}

/** What the detector made of one picture. */
export interface MotionLook {
  /** The background is still being learned: nothing begins. */
  readonly settling: boolean;
  readonly zones: readonly { readonly zone: string; readonly level: number; readonly state: ZoneState['name'] }[];
  readonly blobs: readonly { readonly box: Box; readonly verdict: BlobVerdict }[];
  readonly changes: readonly MotionChange[];
}

/** How many cells two masks have in common. */
function shared(a: Uint8Array, b: Uint8Array): number {
  let count = 0;
  for (let i = 0; i < a.length; i++) count += a[i] & b[i];
  return count;
}

/** The name of the zone that stands for the whole picture when none is drawn. */
export const wholePicture = 'picture';

/** The background is trusted after this long. */
const settleMs = 8_000;
/** A gap in the pictures as long as this begins anew: nobody knows what happened in it. */
const gapMs = 3_000;
/** More than this share changed at once is no object: the camera switched, moved or lost its light. */
const allChanged = 0.5;
/** Cells that must hang together to be looked at: below it is noise. */
const leastCells = 6;
/** Changed neighbours that a changed cell needs. */
const speckNeighbours = 3;

interface WatchedZone {
  readonly name: string;
  readonly mask: Uint8Array;
  readonly size: number;
  state: ZoneState;
}

/**
 * Makes a detector of motion for one camera. Pictures go in one by one with the time of their arrival; zones are
 * judged apart, each with its own mask, level, state and span. Deterministic: the same pictures give the same looks.
 */
export function motionDetector(settings: MotionSettings, kernelFor: (settings: KernelSettings) => MotionKernel = plainKernel) {
  let grid: Grid | undefined;
  let pictureSize = '';
  let kernel: MotionKernel | undefined;
  let zones: WatchedZone[] = [];
  let [cells, raw, clean, grown] = [new Float32Array(0), new Uint8Array(0), new Uint8Array(0), new Uint8Array(0)];
  let lastMs = Number.NEGATIVE_INFINITY;
  let settledAt = 0;

  const prepare = (picture: GreyPicture): Grid => {
    const made = gridFor(picture.width, picture.height);
    const { width, height } = made;
    const size = width * height;
    kernel = kernelFor({ width, height, difference: settings.difference });
    [cells, raw, clean, grown] = [new Float32Array(size), new Uint8Array(size), new Uint8Array(size), new Uint8Array(size)];
    const ignored = settings.ignored.map((corners) => fillPolygon(corners, width, height));
    const drawn = settings.zones.map(({ name, corners }) => ({ name, mask: fillPolygon(corners, width, height) }));
    if (drawn.length === 0) drawn.push({ name: wholePicture, mask: new Uint8Array(size).fill(1) });
    zones = drawn.map(({ name, mask }) => {
      for (const area of ignored) for (let i = 0; i < size; i++) if (area[i] === 1) mask[i] = 0;
      return { name, mask, size: mask.reduce((sum, cell) => sum + cell, 0), state: atRest };
    });
    return made;
  };

  /** Ends what still moves, because what comes next cannot be compared with what was. */
  const endAll = (): MotionChange[] =>
    zones.flatMap((zone) => {
      const state = zone.state;
      zone.state = atRest;
      return state.name === 'moving'
        ? [{ change: 'ended' as const, zone: zone.name, firstMs: state.firstMs, lastMs: state.lastMs, level: state.peak }]
        : [];
    });

  return {
    see(picture: GreyPicture): MotionLook {
      const changes: MotionChange[] = [];
      const size = `${picture.width}x${picture.height}`;
      const fresh = grid === undefined || kernel === undefined || size !== pictureSize;
      if (fresh || picture.timeMs - lastMs > gapMs) {
        changes.push(...endAll());
        if (fresh) grid = prepare(picture);
        else kernel?.reset();
        pictureSize = size;
        settledAt = picture.timeMs + settleMs;
      }
      if (!grid || !kernel) throw new Error('unreachable: the grid was just made');
      const { width, height } = grid;
      reduce(picture, grid, cells);
      const { changed } = kernel.see(cells, Math.max(1, picture.timeMs - lastMs), raw);
      lastMs = picture.timeMs;
      if (changed > allChanged) {
        kernel.reset();
        settledAt = picture.timeMs + settleMs;
        changes.push(...endAll());
      }
      const settling = picture.timeMs < settledAt;
      despeckle(raw, width, height, speckNeighbours, clean);
      grow(clean, width, height, grown);
      const blobs = findBlobs(grown, width, height, leastCells).map((blob) => {
        const box = boxOf(blob, width, height);
        return { blob, box, verdict: judge(blob, box) };
      });

      const looks = zones.map((zone) => {
        const level = zone.size === 0 ? 0 : shared(grown, zone.mask) / zone.size;
        const counted = blobs.filter(({ blob, verdict }) => verdict === 'counted' && touches(blob, zone.mask, width));
        const passes = !settling && level >= settings.threshold && counted.length > 0;
        const { state, change } = nextZoneState(zone.state, passes, level, picture.timeMs, settings);
        if (change) {
          const spanned = state.name === 'quiet' ? zone.state : state;
          if (spanned.name !== 'quiet') {
            const largest = counted.sort((a, b) => b.blob.cells - a.blob.cells)[0]?.box;
            changes.push({
              change,
              zone: zone.name,
              firstMs: spanned.firstMs,
              lastMs: spanned.lastMs,
              level: spanned.peak,
              ...(largest ? { box: largest } : {}),
            });
          }
        }
        zone.state = state;
        return { zone: zone.name, level, state: state.name };
      });
      return { settling, zones: looks, blobs: blobs.map(({ box, verdict }) => ({ box, verdict })), changes };
    },
  };

  function judge(blob: Blob, [, , wide, high]: Box): BlobVerdict {
    if (!grid || !zones.some((zone) => touches(blob, zone.mask, grid?.width ?? 0))) return 'outside';
    if (wide * high < settings.smallest) return 'too-small';
    return wide * high > settings.largest ? 'too-large' : 'counted';
  }

  function touches(blob: Blob, mask: Uint8Array, width: number): boolean {
    for (let y = blob.top; y <= blob.foot; y++)
      for (let x = blob.left; x <= blob.right; x++) if (mask[y * width + x] === 1 && grown[y * width + x] === 1) return true;
    return false;
  }
}

export type MotionDetector = ReturnType<typeof motionDetector>;
