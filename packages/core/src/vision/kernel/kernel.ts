import type { GreyPicture, Grid } from '../grid.js';
import type { KernelMemory } from './memory.js';
import type { KernelOps, OpsFor } from './ops.js';

export interface KernelLook {
  /** Share of all cells that changed. */
  readonly changed: number;
  /** By what the light of the whole picture was multiplied against the background. */
  readonly gain: number;
  /** Frames since the background was begun. */
  readonly frames: number;
  /** It shows to the last cell what the one before showed: cameras and files repeat themselves to keep their rate. */
  readonly repeated: boolean;
}

/** Background and deviation are learned over this long where nothing moves. */
const learnMs = 5_000;
/** A thing that stays becomes background over this long. */
const absorbMs = 40_000;
/** How much each place moves by itself is learned over this long, and forgotten over the other: gusts come back. */
const swayMs = 15_000;
const calmMs = 45_000;
/** A thing that has not moved for about this long no longer counts as moving. */
const recentMs = 1_200;
/** Learning goes by steps at least this long: shorter ones would be lost in rounding. */
const stepMs = 90;
/** Restlessness changes over many seconds, so that its spreading is done anew only this often. */
const wideMs = 900;
/** Above this a cell that moves by itself is learned no further: a passer-by may not deafen a place for long. */
const swayCap = 60;
/** How restless each place is is remembered so often, twice. */
const copyMs = 12_000;
/** A cell counts as changed beyond this many times its usual deviation; the steps compute it so. */
export const deviations = 4;
/** A cell is active when it differs from a moment ago by this share of the difference. */
const activeShare = 0.6;
/** A background that was kept is this picture's when no more than this share of its cells differ. */
const mostOther = 0.12;
/** Changed neighbours that a changed cell needs. */
const neighbours = 3;
/** The first frames are learned from as a plain average. */
const firstFrames = 12;

const toQ15 = (share: number): number => Math.min(32_767, Math.round(share * 32_768));
const toLevels = (level: number): number => Math.round(level * 128);

/** What usually stands in each place, and how much that moves. */
interface Usual {
  readonly mean: Int16Array;
  readonly deviation: Int16Array;
}

/**
 * What a detector does with one frame before it looks for things: decide for each cell whether it differs from what
 * usually stands there, and learn from it. A running mean and deviation for each cell (after the background for each
 * pixel of Stauffer and Grimson 1999, with one mode only), corrected by the median gain of the whole picture, so that
 * clouds and exposure change nothing.
 */
export class Kernel {
  readonly memory: KernelMemory;
  private readonly ops: KernelOps;
  private readonly grid: Grid;
  /** Least difference of a changed cell, in grey levels. */
  difference: number;
  private frames = 0;
  private light = 1;
  private sinceWide = 0;
  /** How restless each place was a while ago: what has proved to go somewhere is taken out of it again. */
  private readonly earlier: [Int16Array, Int16Array];
  private sinceCopy = 0;
  /** What was usual before the light was switched, and what was usual before that: lamps are switched back. */
  private kept: Usual | undefined;
  private other: Usual | undefined;
  private sinceStep = 0;

  constructor(grid: Grid, pictureBytes: number, difference: number, opsFor: OpsFor) {
    this.grid = grid;
    this.difference = difference;
    this.ops = opsFor({ ...grid, pictureBytes });
    this.memory = this.ops.memory;
    const size = grid.width * grid.height;
    this.earlier = [new Int16Array(size), new Int16Array(size)];
  }

  /** By what the light of the last picture was multiplied against the background. */
  get gain(): number {
    return this.light;
  }

  /** Mean grey level of the last picture, over one cell in sixty. */
  get brightness(): number {
    const { cells } = this.memory;
    let sum = 0;
    for (let i = 0; i < cells.length; i += 61) sum += cells[i];
    return sum / Math.ceil(cells.length / 61);
  }

  /** Takes back what a box of cells has learned of restlessness lately: what was there went somewhere, and does not sway. */
  takeBack({
    left,
    top,
    right,
    foot,
  }: {
    readonly left: number;
    readonly top: number;
    readonly right: number;
    readonly foot: number;
  }): void {
    const { deviation, width } = this.memory;
    const [copied, before] = this.earlier;
    for (let y = top; y <= foot; y++) {
      for (let i = y * width + left; i <= y * width + right; i++) {
        if (before[i] >= deviation[i]) continue;
        deviation[i] = before[i];
        // What was remembered meanwhile has learned of it too, and would be taken back to by whoever comes next.
        if (copied[i] > before[i]) copied[i] = before[i];
      }
    }
  }

  /** Cuts what has changed, tidied and joined, into the memory's runs; how many there are. */
  runs(): number {
    return this.ops.runs();
  }

  /** Keeps the background as it is now, before another picture spoils it. */
  keep(): void {
    const { mean, deviation } = this.memory;
    this.kept = { mean: mean.slice(), deviation: deviation.slice() };
  }

  /** The background that was kept is of another light, which may come back. */
  setAside(): void {
    this.other = this.kept;
  }

  /** Goes back to the background of another light when it is this picture's; the one before it is set aside in its place. */
  returnToOther(): boolean {
    const { other, kept, memory } = this;
    if (!other || !kept || this.differsFrom(other) > mostOther) return false;
    memory.mean.set(other.mean);
    memory.deviation.set(other.deviation);
    memory.recent.set(memory.now);
    for (const copy of this.earlier) copy.set(other.deviation);
    this.ops.widen();
    this.other = kept;
    return true;
  }

  /** Share of cells in which the picture differs from a background, when its light is corrected for: over one cell in sixteen. */
  private differsFrom({ mean, deviation }: Usual): number {
    const { now, width, height } = this.memory;
    const ratios: number[] = [];
    for (let i = 0; i < width * height; i += 61) ratios.push((now[i] + 1_024) / (mean[i] + 1_024));
    const gain = ratios.sort((a, b) => a - b)[ratios.length >> 1];
    let [count, far] = [0, 0];
    for (let y = 1; y < height; y += 4) {
      for (let i = y * width + 1; i < (y + 1) * width; i += 4) {
        if (Math.abs(now[i] - mean[i] * gain) > Math.max(this.difference * 128, deviation[i] * deviations)) far++;
        count++;
      }
    }
    return count === 0 ? 1 : far / count;
  }

  /** It is used no more: its memory is another's. */
  end(): void {
    this.ops.release();
  }

  /** Forgets the background. */
  reset(): void {
    this.frames = 0;
  }

  /** Judges a picture and learns from it. `elapsedMs` is the time since the one before. */
  see({ bytes, width }: GreyPicture, elapsedMs: number): KernelLook {
    const { ops, memory, difference } = this;
    const { picture } = memory;
    // It may have been decoded right where it belongs.
    if (bytes.buffer !== picture.buffer || bytes.byteOffset !== picture.byteOffset)
      picture.set(bytes.length > picture.length ? bytes.subarray(0, picture.length) : bytes);
    const repeated = !ops.reduce(width, this.grid.factor) && this.frames > 0;
    ops.blur();
    this.frames++;
    const { frames } = this;
    if (frames === 1) {
      memory.mean.set(memory.now);
      memory.recent.set(memory.now);
      memory.deviation.fill(toLevels(difference / deviations));
      ops.widen();
      for (const copy of this.earlier) copy.set(memory.deviation);
      this.sinceCopy = 0;
      this.light = 1;
      for (const mask of [memory.hold, memory.changed, memory.active, memory.clean, memory.grown]) mask.fill(0);
      [this.sinceStep, this.sinceWide] = [0, 0];
      return { changed: 0, gain: 1, frames, repeated };
    }
    // Beyond these a gain is no light of the day: the picture is another.
    const gain = Math.max(0.4, Math.min(1.9, ops.gain()));
    this.light = gain;
    this.sinceStep += elapsedMs;
    this.sinceCopy += elapsedMs;
    if (this.sinceCopy >= copyMs) {
      this.sinceCopy = 0;
      this.earlier.reverse();
      this.earlier[0].set(memory.deviation);
    }
    this.sinceWide += elapsedMs;
    const first = frames <= firstFrames;
    const learns = this.sinceStep >= stepMs || first;
    const since = this.sinceStep;
    const rate = (ms: number, early = 0) => (learns ? toQ15(Math.max(Math.min(1, since / ms), early)) : 0);
    const learn = rate(learnMs, 1 / frames);
    if (learns) this.sinceStep = 0;
    const changed = ops.judge({
      gain: Math.round((gain - 1) * 16_384),
      shift: Math.round((gain - 1) * 1_024),
      difference: toLevels(difference),
      activeDifference: toLevels(difference * activeShare),
      recent: toQ15(Math.min(1, elapsedMs / recentMs)),
      learn,
      sway: rate(swayMs, 1 / (frames + 4)),
      calm: rate(calmMs, 1 / (frames + 4)),
      absorb: rate(absorbMs, first ? 1 / frames : 0),
      light: Math.round((gain - 1) * learn),
      step: learns ? -1 : 0,
      cap: toLevels(swayCap),
    });
    // A leaf that swings a little further than before reaches its neighbours: they are as restless as it is.
    if (this.sinceWide >= wideMs || first) {
      ops.widen();
      this.sinceWide = 0;
    }
    ops.tidy(neighbours);
    return { changed: changed / (this.grid.width * this.grid.height), gain, frames, repeated };
  }
}
