/**
 * What a kernel does with one frame: decide for each cell whether it differs from what usually stands there.
 * Kernels keep the background; everything after the mask is the same for all of them.
 */
export interface MotionKernel {
  /**
   * Judges a frame and learns from it. `cells` are grey levels 0 to 255; `mask` gets 1 where a cell has changed.
   * `elapsedMs` is the time since the frame before.
   */
  see(cells: Float32Array, elapsedMs: number, mask: Uint8Array): KernelLook;
  /** Forgets the background. */
  reset(): void;
}

export interface KernelLook {
  /** Share of all cells that changed. */
  readonly changed: number;
  /** By what the light of the whole picture was multiplied against the background. */
  readonly gain: number;
}

export interface KernelSettings {
  readonly width: number;
  readonly height: number;
  /** Least difference of a changed cell, in grey levels. */
  readonly difference: number;
}

/** Background and deviation are learned over this long where nothing moves. */
const learnMs = 5_000;
/** A thing that stays becomes background over this long. */
const absorbMs = 40_000;
/** How much each place moves by itself is learned over this long, and forgotten over the other: gusts come back. */
const swayMs = 15_000;
const calmMs = 45_000;
/** A cell counts as changed beyond this many times its usual mean deviation: 4 × 0.8 σ passes 1 in 700 of normal noise. */
const deviations = 4;
/** Above this a cell that moves by itself is learned no further: a passer-by may not deafen a place for long. */
const swayCap = 60;

/**
 * The kernel in plain TypeScript: a running mean and mean absolute deviation for each cell (a Σ-Δ-like running
 * average after Stauffer and Grimson's idea of a background for each pixel, with one mode only), corrected by the
 * median gain of the whole picture, so that clouds and exposure change nothing.
 */
export function plainKernel(settings: KernelSettings): MotionKernel {
  const { width, height, difference } = settings;
  const size = width * height;
  const mean = new Float32Array(size);
  const deviation = new Float32Array(size);
  const cells = new Float32Array(size);
  const rows = new Float32Array(size);
  const around = new Float32Array(size);
  const histogram = new Uint32Array(512);
  let frames = 0;
  let sinceWide = 0;

  const medianGain = (): number => {
    histogram.fill(0);
    let count = 0;
    for (let y = 1; y < height; y += 3) {
      for (let i = y * width + 1; i < (y + 1) * width; i += 3) {
        // The offset of 8 keeps black cells, whose ratio is mostly noise, from voting.
        const bin = Math.round(((cells[i] + 8) / (mean[i] + 8)) * 128);
        histogram[bin > 511 ? 511 : bin]++;
        count++;
      }
    }
    let seen = 0;
    for (let bin = 0; bin < 512; bin++) {
      if (seen + histogram[bin] > count / 2) return (bin - 0.5 + (count / 2 - seen) / histogram[bin]) / 128;
      seen += histogram[bin];
    }
    return 1;
  };

  return {
    reset() {
      frames = 0;
    },
    see(sharp, elapsedMs, mask) {
      frames++;
      blur(sharp, width, height, rows, cells);
      if (frames === 1) {
        mean.set(cells);
        deviation.fill(difference / deviations);
        mask.fill(0);
        return { changed: 0, gain: 1 };
      }
      const gain = medianGain();
      // The first frames weigh as a plain average, so that the background stands after seconds.
      const learn = Math.max(Math.min(1, elapsedMs / learnMs), 1 / frames);
      const sway = Math.max(Math.min(1, elapsedMs / swayMs), 1 / (frames + 4));
      const calm = Math.max(Math.min(1, elapsedMs / calmMs), 1 / (frames + 4));
      // A leaf that swings a little further than before reaches its neighbours: they are as restless as it is.
      sinceWide += elapsedMs;
      if (sinceWide >= wideMs || frames < 12) {
        widen(deviation, width, height, rows, around);
        sinceWide = 0;
      }
      const absorb = Math.max(Math.min(1, elapsedMs / absorbMs), frames < 12 ? 1 / frames : 0);
      const rates = { learn, sway, calm, absorb, light: 1 + (gain - 1) * learn };
      const changed = judgeCells(cells, mean, around, deviation, mask, gain, difference, rates);
      return { changed: changed / size, gain };
    },
  };
}

/** How far restlessness reaches, in cells to each side. */
const reach = 2;
/** It changes over many seconds, so that its spreading is done anew only this often. */
const wideMs = 900;

/** How fast a frame is learned from, 0 to 1 each. */
interface Rates {
  readonly learn: number;
  readonly sway: number;
  readonly calm: number;
  readonly absorb: number;
  /** What the background of a changed cell follows of the light. */
  readonly light: number;
}

/** Judges each cell against the background and learns from it; how many have changed. A function of its own for the compiler's sake. */
function judgeCells(
  cells: Float32Array,
  mean: Float32Array,
  around: Float32Array,
  deviation: Float32Array,
  mask: Uint8Array,
  gain: number,
  difference: number,
  { learn, sway, calm, absorb, light }: Rates,
): number {
  const shift = (gain - 1) * 8;
  const size = cells.length;
  let changed = 0;
  for (let i = 0; i < size; i++) {
    const cell = cells[i];
    const usually = mean[i];
    const off = cell - (usually * gain + shift);
    const far = off < 0 ? -off : off;
    const usual = around[i] * deviations;
    if (far > (usual > difference ? usual : difference)) {
      mask[i] = 1;
      changed++;
      mean[i] = usually * light + off * absorb;
    } else {
      mask[i] = 0;
      mean[i] = usually + (cell - usually) * learn;
    }
    const restless = (far > swayCap ? swayCap : far) - deviation[i];
    deviation[i] += restless * (restless > 0 ? sway : calm);
  }
  return changed;
}

/** The largest value within `reach` cells, rows first and columns then; both borders are kept as they are. */
function widen(values: Float32Array, width: number, height: number, rows: Float32Array, into: Float32Array): void {
  spread(values, rows, 1, width * height);
  spread(rows, into, width, width * height);
}

/** The largest of five values, `stride` apart. What runs over an edge mixes two edges, where nothing is watched closely. */
function spread(from: Float32Array, into: Float32Array, stride: number, size: number): void {
  const far = reach * stride;
  into.set(from.subarray(0, far));
  into.set(from.subarray(size - far, size), size - far);
  for (let i = far; i < size - far; i++) {
    let most = from[i];
    const a = from[i - far];
    const b = from[i - stride];
    const c = from[i + stride];
    const d = from[i + far];
    if (a > most) most = a;
    if (b > most) most = b;
    if (c > most) most = c;
    if (d > most) most = d;
    into[i] = most;
  }
}

/** The mean of each cell and its eight neighbours: a sensor's noise falls to a third, a person stays. Edges are kept as they are. */
function blur(values: Float32Array, width: number, height: number, rows: Float32Array, into: Float32Array): void {
  for (let y = 0; y < height; y++) {
    const start = y * width;
    const end = start + width - 1;
    rows[start] = values[start] * 3;
    for (let i = start + 1; i < end; i++) rows[i] = values[i - 1] + values[i] + values[i + 1];
    rows[end] = values[end] * 3;
  }
  for (let i = 0; i < width; i++) into[i] = rows[i] / 3;
  for (let i = width; i < width * (height - 1); i++) into[i] = (rows[i - width] + rows[i] + rows[i + width]) / 9;
  for (let i = width * (height - 1); i < width * height; i++) into[i] = rows[i] / 3;
}
