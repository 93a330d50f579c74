import type { KernelMemory } from './kernel/memory.js';

/** What can be wrong with what a camera sees. */
export type ViewTrouble = 'covered' | 'moved' | 'blurred' | 'blinded';

export interface ViewChange {
  /** Nothing: the view is as it was. */
  readonly trouble: ViewTrouble | undefined;
  /** When it began. */
  readonly sinceMs: number;
}

/** A look at the picture as a whole: grey levels of 255. */
interface Glance {
  readonly mean: number;
  /** Standard deviation of the cells. */
  readonly contrast: number;
  /** Mean square difference of neighbouring cells: what is out of focus loses this, and keeps its mean difference. */
  readonly sharpness: number;
  /** Share of cells that are white. */
  readonly white: number;
  /** Sharpness of each block, for where the edges are. */
  readonly edges: Float32Array;
}

const blocks = { across: 16, down: 9 };
/** The usual view is learned over this long, and not while something is wrong. */
const learnMs = 60_000;
/** It is known after this long. */
const knownMs = 6_000;
const everyMs = 500;
/** What is wrong must last so long: a moth before the lens is no sabotage. */
const lastsMs = 3_000;
/** A view that stays changed is taken as the usual one after this long. */
const acceptMs = 600_000;
const white = 248;

/** Over every second cell across and down, block by block. */
function glanceAt({ cells, width, height }: KernelMemory): Glance {
  const edges = new Float32Array(blocks.across * blocks.down);
  let [sum, squares, sharp, bright, count] = [0, 0, 0, 0, 0];
  // The first cell of each block that is looked at, and the one behind its last.
  const from = (block: number, many: number, size: number) => (Math.ceil((block * size) / many) + 1) & ~1;
  for (let block = 0; block < edges.length; block++) {
    const [x, y] = [block % blocks.across, Math.floor(block / blocks.across)];
    const [left, right] = [from(x, blocks.across, width), Math.min(width - 1, from(x + 1, blocks.across, width))];
    const foot = Math.min(height - 1, from(y + 1, blocks.down, height));
    let edge = 0;
    for (let row = from(y, blocks.down, height); row < foot; row += 2) {
      for (let i = row * width + left; i < row * width + right; i += 2) {
        const level = cells[i];
        const across = level - cells[i + 1];
        const down = level - cells[i + width];
        edge += Math.abs(across) + Math.abs(down);
        sum += level;
        squares += level * level;
        sharp += across * across + down * down;
        if (level >= white) bright++;
        count++;
      }
    }
    edges[block] = edge;
  }
  const mean = sum / count;
  return { mean, contrast: Math.sqrt(Math.max(0, squares / count - mean * mean)), sharpness: sharp / count, white: bright / count, edges };
}

/** Correlation of two rows of numbers, −1 to 1. */
function correlation(a: Float32Array, b: Float32Array): number {
  const middle = (values: Float32Array) => values.reduce((sum, value) => sum + value, 0) / values.length;
  const [ma, mb] = [middle(a), middle(b)];
  let [ab, aa, bb] = [0, 0, 0];
  for (let i = 0; i < a.length; i++) {
    ab += (a[i] - ma) * (b[i] - mb);
    aa += (a[i] - ma) ** 2;
    bb += (b[i] - mb) ** 2;
  }
  return aa === 0 || bb === 0 ? 0 : ab / Math.sqrt(aa * bb);
}

/** So much of the sharpness is a sensor's noise. */
const noise = 8;
/** Contrast by itself says little: half of the light is half of the contrast. */
const relative = ({ contrast, mean }: Glance): number => contrast / (mean + 10);

/** What is wrong with a view, held against the usual one. */
function troubleOf(now: Glance, usual: Glance): ViewTrouble | undefined {
  if (now.white > 0.6 && now.white > usual.white + 0.4) return 'blinded';
  const flat = relative(now) < relative(usual) * 0.35;
  if (flat) return now.mean > 200 ? 'blinded' : 'covered';
  // Where the edges are does not depend on the light; where the head looks does.
  const alike = correlation(now.edges, usual.edges);
  const [sharp, usually] = [Math.max(0, now.sharpness - noise), Math.max(1, usual.sharpness - noise)];
  const lit = (relative(now) / relative(usual)) ** 2 * ((now.mean + 10) / (usual.mean + 10)) ** 2;
  if (alike >= 0.45 && sharp < usually * lit * 0.3) return 'blurred';
  return alike < 0.45 && sharp > usually * 0.08 ? 'moved' : undefined;
}

/**
 * Looks whether somebody interferes with a camera: covers it, turns it, puts it out of focus, blinds it. It holds the
 * picture as a whole against how it usually is. Deterministic: the same pictures give the same changes.
 */
export class ViewWatch {
  private usual: Glance | undefined;
  private beganMs = 0;
  private lastMs = Number.NEGATIVE_INFINITY;
  private trouble: ViewTrouble | undefined;
  /** What was seen lately, and since when: it counts when it lasts. */
  private candidate: { readonly trouble: ViewTrouble | undefined; readonly sinceMs: number } = { trouble: undefined, sinceMs: 0 };

  /** Forgets the usual view: the camera was turned on purpose, or its picture has another size. */
  reset(): void {
    this.usual = undefined;
    this.trouble = undefined;
    this.lastMs = Number.NEGATIVE_INFINITY;
    this.candidate = { trouble: undefined, sinceMs: 0 };
  }

  /** Takes the reduced picture of a kernel; says when something begins to be wrong or is well again. */
  see(memory: KernelMemory, timeMs: number): ViewChange | undefined {
    const elapsed = timeMs - this.lastMs;
    if (elapsed < everyMs) return undefined;
    const now = glanceAt(memory);
    this.lastMs = timeMs;
    if (!this.usual) {
      this.usual = now;
      this.beganMs = timeMs;
      this.candidate = { trouble: undefined, sinceMs: timeMs };
      return undefined;
    }
    const known = timeMs - this.beganMs >= knownMs;
    const seen = known ? troubleOf(now, this.usual) : undefined;
    if (seen !== this.candidate.trouble) this.candidate = { trouble: seen, sinceMs: timeMs };
    if (seen === undefined && this.trouble === undefined) this.learn(now, Math.min(1, elapsed / (known ? learnMs : knownMs)));
    const lasted = timeMs - this.candidate.sinceMs;
    if (this.trouble !== undefined && seen !== undefined && lasted >= acceptMs) {
      this.usual = now;
      return this.become(undefined, timeMs);
    }
    if (seen === this.trouble || lasted < lastsMs) return undefined;
    // A lens that is covered, then blurred while the hand goes away, is one matter.
    return this.become(seen, this.candidate.sinceMs);
  }

  private become(trouble: ViewTrouble | undefined, sinceMs: number): ViewChange {
    this.trouble = trouble;
    return { trouble, sinceMs };
  }

  private learn(now: Glance, share: number): void {
    if (!this.usual) return;
    const mix = (a: number, b: number) => a + (b - a) * share;
    const { edges } = this.usual;
    for (let i = 0; i < edges.length; i++) edges[i] = mix(edges[i], now.edges[i]);
    this.usual = {
      mean: mix(this.usual.mean, now.mean),
      contrast: mix(this.usual.contrast, now.contrast),
      sharpness: mix(this.usual.sharpness, now.sharpness),
      white: mix(this.usual.white, now.white),
      edges,
    };
  }
}
