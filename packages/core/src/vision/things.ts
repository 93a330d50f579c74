import type { BlobVerdict, Box } from '@causalis/contract';
import { fitsKnown, knownThings, ownerAmong, parted } from './apart.js';
import { around, type Blob, boxOf, type Edges, findBlobs, groupBlobs } from './blobs.js';
import type { Grid } from './grid.js';
import type { Kernel } from './kernel/kernel.js';
import type { MotionValues } from './motion.js';
import { type BlobNature, natureOf, verdictOf } from './nature.js';
import { withoutShadow } from './shadow.js';
import { type Track, Tracker } from './tracks.js';

/** Changed cells, with one row around them, that must hang together to be looked at: below it is noise. */
const leastCells = 12;
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

/** The pieces of one thing, with what was found out about it. */
export interface Judged {
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

/** What things are found in: the cells of one size of picture. */
interface Place {
  readonly grid: Grid;
  readonly kernel: Kernel;
}

/** Finds what moves on each picture, follows it, and says what the filters make of it. */
export class Things {
  /** How many things each filter has removed: a thing counts once, when it is gone. */
  readonly removed: Partial<Record<BlobVerdict, number>> = {};
  /** Those that are gone; whoever has read them empties the list. */
  gone: readonly Track[] = [];
  private readonly tracker = new Tracker({ forgetMs: 1_500, reach: 1.5 });
  /** Where each track was until it proved to go somewhere. */
  private readonly paths = new Map<number, readonly Edges[]>();
  /** The mildest verdict of each track so far. */
  private readonly verdicts = new Map<number, BlobVerdict>();
  /** When things that were hardly there ended, of the last seconds. */
  private fleeting: number[] = [];
  private seenMs = Number.NEGATIVE_INFINITY;

  /** Things that count, have gone somewhere and have been there for so long, as they were last seen. */
  lasting(atLeastMs: number): Track[] {
    return this.tracker.tracks.filter(
      ({ id, firstMs, lastMs, travelled }) =>
        lastMs === this.seenMs && lastMs - firstMs >= atLeastMs && travelled > 0 && this.verdicts.get(id) === 'counted',
    );
  }

  /** Forgets all: what was followed is gone. */
  reset(atLeastMs: number): void {
    this.gone = [];
    this.forget(this.tracker.reset(), atLeastMs);
    this.fleeting = [];
  }

  /**
   * What moves on a picture, in the order in which it was found. `masks` say which cells belong to each zone; `restless`
   * is beyond how many grey levels of usual movement only what goes somewhere counts, 0 while that is hardly known.
   */
  see({ grid, kernel }: Place, masks: readonly Uint8Array[], values: MotionValues, timeMs: number, restless: number): Judged[] {
    const { width, height } = grid;
    const { hold, listed } = kernel.memory;
    const found = findBlobs(kernel.memory, kernel.runs(), leastCells);
    if (found.length > mostBlobs) found.sort((a, b) => b.cells - a.cells).length = mostBlobs;
    const wet = this.fleeting.length >= showers.things;
    const known = knownThings(this.tracker.tracks, (id) => this.verdicts.get(id) === 'counted', timeMs);
    const groups = groupBlobs(found, wet ? () => false : fitsKnown(known, width, height), ownerAmong(known, width, height)).flatMap(
      (group) => parted(group, listed, known, grid),
    );
    const judged = groups.map((pieces): Judged => {
      const edges = withoutShadow(pieces, around(pieces), listed, kernel);
      // The mask has one cell around each thing.
      const tight = { left: edges.left + 1, top: edges.top + 1, right: edges.right - 1, foot: edges.foot - 1 };
      const box = boxOf(tight, width, height);
      const inZones = masks.map((mask) => {
        let count = 0;
        for (const { from, cells } of pieces) for (let k = from; k < from + cells; k++) count += mask[listed[k]];
        return count;
      });
      const size = box[2] * box[3];
      const nature = size < leastFollowed ? 'thing' : natureOf(pieces, listed, kernel, restless);
      return { pieces, edges, box, size, inZones, nature, verdict: 'outside', cells: pieces.reduce((sum, { cells }) => sum + cells, 0) };
    });
    this.seenMs = timeMs;
    const followed = judged.filter(({ size }) => size >= leastFollowed);
    const { of, ended } = this.tracker.see(followed, timeMs);
    this.forget(ended, values.atLeastMs);
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

  private forget(ended: readonly Track[], atLeastMs: number): void {
    this.gone = [...this.gone, ...ended];
    for (const { id, seen, firstMs, lastMs } of ended) {
      const verdict = this.verdicts.get(id);
      this.verdicts.delete(id);
      this.paths.delete(id);
      const reason = verdict === 'counted' && lastMs - firstMs < atLeastMs ? 'too-short' : verdict;
      if (reason && reason !== 'counted' && seen > 1) this.removed[reason] = (this.removed[reason] ?? 0) + 1;
    }
  }
}

function holdBox(hold: Uint8Array, { left, top, right, foot }: Edges, width: number, height: number): void {
  const from = Math.max(0, left - holdMargin);
  const to = Math.min(width, right + 1 + holdMargin);
  for (let y = Math.max(0, top - holdMargin); y < Math.min(height, foot + 1 + holdMargin); y++)
    hold.fill(255, y * width + from, y * width + to);
}
