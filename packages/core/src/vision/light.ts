import type { Blob } from './blobs.js';
import type { Kernel } from './kernel/kernel.js';

/** Smaller blobs are not asked: a light that matters covers more of the picture than this. */
const leastShare = 0.012;
/** Black cells, whose ratio is mostly noise, weigh little: 8 levels × 128. */
const offset = 1_024;
/** A light changes what it falls on evenly: from cell to cell by less than this share of what it changes in all. */
const evenness = 0.085;
/** It fades out towards its edge: this many cells inside, it has less than this share of its middle strength. */
const inside = 2;
const fading = 0.6;

/**
 * Whether a blob is a change of light and no thing: now over background is even over the blob, whatever is drawn on
 * what the light falls on. A thing has edges of its own. (Ratio of intensities as in Rosin and Ellis 1995, for shadows.)
 */
export function isLight(blob: Blob, cells: Int32Array, { memory }: Kernel): boolean {
  const { now, mean, changed, width, height } = memory;
  if (blob.cells < leastShare * width * height) return false;
  let [uneven, whole, count, edge, edges] = [0, 0, 0, 0, 0];
  const ratio = (i: number) => (now[i] + offset) / (mean[i] + offset);
  for (let k = blob.from; k < blob.from + blob.cells; k++) {
    const i = cells[k];
    if (changed[i] === 0) continue;
    const here = ratio(i);
    whole += Math.abs(here - 1);
    for (const step of [1, -1]) {
      if (changed[i + step] !== 0 || changed[i - step * inside] === 0) continue;
      edge += Math.abs(ratio(i - step * inside) - 1);
      edges++;
    }
    if (i + width >= now.length) continue;
    uneven += (Math.abs(here - ratio(i + 1)) + Math.abs(here - ratio(i + width))) / 2;
    count++;
  }
  if (count === 0 || uneven >= whole * evenness) return false;
  return edges === 0 || edge / edges < (whole / blob.cells) * fading;
}
