import { type KernelMemory, type KernelSize, layOut, roomFor } from './memory.js';

/** How a frame is judged and learned from. Levels × 128; shares as Q15 (share × 32,768). */
export interface Judging {
  /** Light of the whole picture against the background: half of (gain − 1) as Q15, and what it adds to black. */
  readonly gain: number;
  readonly shift: number;
  /** Least difference of a changed cell, and least difference from a moment ago of an active one. */
  readonly difference: number;
  readonly activeDifference: number;
  /** How fast: what stood there a moment ago, the background, its deviation up and down, a thing that stays, the light under one. */
  readonly recent: number;
  readonly learn: number;
  readonly sway: number;
  readonly calm: number;
  readonly absorb: number;
  readonly light: number;
  /** −1 when this frame is learned from, else 0: a deviation that falls at all falls by one step. */
  readonly step: number;
  /** No cell is taken as more restless than this. */
  readonly cap: number;
}

/** The steps of a kernel, each over a whole frame. Two make them: plain code, and WebAssembly that must do exactly the same. */
export interface KernelOps {
  readonly memory: KernelMemory;
  /** Gives its memory back: it is used no more. */
  release(): void;
  /**
   * Averages `factor` × `factor` pixels of a picture with rows of `stride` bytes to one cell; whether any cell is other
   * than before. Of a large picture every second row is enough: a cell still has more pixels than one of a small feed.
   */
  reduce(stride: number, factor: number): boolean;
  /** Each cell with its neighbours, weighed 1 2 1 both ways: a sensor's noise falls to a third, a person stays. */
  blur(): void;
  /** Median ratio of now to the background over every sixteenth cell. */
  gain(): number;
  /** Judges each cell against the background and learns from it; how many have changed. */
  judge(judging: Judging): number;
  /** The largest deviation within two cells, as `around`. */
  widen(): void;
  /** A changed cell stays only with at least `neighbours` changed ones of eight; then what is one cell apart is joined. */
  tidy(neighbours: number): void;
  /** Cuts the rows of what was joined into runs; how many there are. */
  runs(): number;
}

/** Makes the steps of a kernel for a size. */
export type OpsFor = (size: KernelSize) => KernelOps;

const sat = (value: number): number => (value > 32_767 ? 32_767 : value < -32_768 ? -32_768 : value);
/** Rounded product of Q15 numbers, as the vector instruction has it. */
const q15 = (a: number, b: number): number => sat((a * b + 0x4000) >> 15);

/** The median of a histogram of ratios × 128, between its bins. */
export function medianRatio(histogram: Uint16Array, count: number): number {
  let seen = 0;
  for (let bin = 0; bin < 512; bin++) {
    if (seen + histogram[bin] > count / 2) return (bin - 0.5 + (count / 2 - seen) / histogram[bin]) / 128;
    seen += histogram[bin];
  }
  return 1;
}

/** The steps in plain TypeScript, each kernel with a bench of its own. */
export const plainOpsFor: OpsFor = (kernelSize) => {
  const room = roomFor(kernelSize);
  const memory = layOut(kernelSize, new ArrayBuffer(room.own + room.shared), 0, room.own);
  const { width, height, picture, columns, cells, row, now, mean, deviation, around, spread, recent } = memory;
  const { hold, changed, active, clean, grown, busy, begin, end, histogram } = memory;
  const size = width * height;

  /** The largest of five values, `stride` apart; what lies within two strides of either end stays. */
  const largest = (from: Int16Array, into: Int16Array, stride: number): void => {
    const far = 2 * stride;
    into.set(from.subarray(0, far));
    into.set(from.subarray(size - far, size), size - far);
    for (let i = far; i < size - far; i++) into[i] = Math.max(from[i - far], from[i - stride], from[i], from[i + stride], from[i + far]);
  };

  return {
    memory,
    release: () => undefined,
    reduce(stride, factor) {
      let other = false;
      const put = (i: number, level: number): void => {
        other ||= cells[i] !== level;
        cells[i] = level;
      };
      if (factor === 1) {
        for (let i = 0; i < size; i++) put(i, picture[Math.floor(i / width) * stride + (i % width)]);
        return other;
      }
      const apart = factor < 4 ? 1 : 2;
      const share = Math.round(65_536 / (factor * Math.ceil(factor / apart)));
      for (let y = 0; y < height; y++) {
        columns.fill(0, 0, width * factor);
        for (let j = 0; j < factor; j += apart) {
          const at = (y * factor + j) * stride;
          for (let x = 0; x < width * factor; x++) columns[x] += picture[at + x];
        }
        for (let x = 0; x < width; x++) {
          let sum = 0;
          for (let i = 0; i < factor; i++) sum += columns[x * factor + i];
          put(y * width + x, (sum * share + 32_768) >> 16);
        }
      }
      return other;
    },
    blur() {
      for (let y = 0; y < height; y++) {
        const [above, below] = [y === 0 ? 0 : width, y === height - 1 ? 0 : width];
        for (let x = 0, i = y * width; x < width; x++, i++) row[x] = cells[i - above] + 2 * cells[i] + cells[i + below];
        // Beyond the edges it goes on as it is there.
        for (let x = 0; x < width; x++)
          now[y * width + x] = (row[x === 0 ? 0 : x - 1] + 2 * row[x] + row[x === width - 1 ? x : x + 1]) << 3;
      }
    },
    gain() {
      histogram.fill(0);
      let count = 0;
      for (let y = 1; y < height; y += 4) {
        for (let i = y * width + 1; i < (y + 1) * width; i += 4) {
          // The offset of 8 levels keeps black cells, whose ratio is mostly noise, from voting.
          const bin = (Math.trunc(((now[i] + 1024) * 256) / (mean[i] + 1024)) + 1) >> 1;
          histogram[bin > 511 ? 511 : bin]++;
          count++;
        }
      }
      return medianRatio(histogram, count);
    },
    judge({ gain, shift, difference, activeDifference, recent: fast, learn, sway, calm, absorb, light, step, cap }) {
      let count = 0;
      for (let i = 0; i < size; i++) {
        const cell = now[i];
        const usually = mean[i];
        const turned = q15(usually, gain);
        const off = sat(cell - sat(sat(usually + shift) + sat(turned + turned)));
        const far = off < 0 ? -off : off;
        const twice = sat(around[i] + around[i]);
        const usual = sat(twice + twice);
        const other = far > (usual > difference ? usual : difference);
        const since = sat(cell - recent[i]);
        const held = hold[i] !== 0;
        changed[i] = other ? 1 : 0;
        active[i] = other && (since < 0 ? -since : since) > activeDifference ? 1 : 0;
        if (other) count++;
        recent[i] = sat(recent[i] + q15(since, fast));
        const learned = other ? sat(q15(usually, light) + (held ? 0 : q15(off, absorb))) : q15(sat(cell - usually), learn);
        const next = sat(usually + learned);
        mean[i] = next < 0 ? 0 : next;
        const restless = sat((far > cap ? cap : far) - deviation[i]);
        const down = Math.min(q15(restless, calm), (restless >> 15) & step);
        deviation[i] += restless > 0 ? (held ? 0 : q15(restless, sway)) : down;
      }
      return count;
    },
    widen() {
      largest(deviation, spread, 1);
      largest(spread, around, width);
    },
    tidy(neighbours) {
      clean.fill(0);
      grown.fill(0);
      busy.fill(0);
      for (let i = width; i < size - width; i++) {
        const x = i % width;
        if (changed[i] === 0 || x === 0 || x === width - 1) continue;
        const about =
          changed[i - width - 1] +
          changed[i - width] +
          changed[i - width + 1] +
          changed[i - 1] +
          changed[i + 1] +
          changed[i + width - 1] +
          changed[i + width] +
          changed[i + width + 1];
        if (about < neighbours) continue;
        clean[i] = 1;
        busy[Math.floor(i / width)] = 1;
      }
      for (let i = width; i < size - width; i++) {
        grown[i] =
          clean[i - width - 1] |
          clean[i - width] |
          clean[i - width + 1] |
          clean[i - 1] |
          clean[i] |
          clean[i + 1] |
          clean[i + width - 1] |
          clean[i + width] |
          clean[i + width + 1];
      }
    },
    runs() {
      let count = 0;
      for (let y = 0; y < height; y++) {
        const stop = (y + 1) * width;
        for (let i = y * width; i < stop; i++) {
          if (grown[i] === 0) continue;
          begin[count] = i;
          while (i < stop && grown[i] !== 0) i++;
          end[count++] = i;
        }
      }
      return count;
    },
  };
};
