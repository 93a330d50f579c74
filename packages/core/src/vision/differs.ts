import { deviations, type Kernel } from './kernel/kernel.js';

/** Zones with more cells are looked at in every second cell across and down. */
const manyCells = 4_000;
/** Beyond this a difference is not told apart. */
const most = 255;

/**
 * By how many grey levels the most different cells of a zone differ: as many of them as the threshold asks for, a
 * share of the zone, differ by this much at least. Once it is above `difference`, the level is above the threshold,
 * before any filter. Where a place moves by itself it must differ by more, and its difference is said the smaller.
 * Zones are masks over the kernel's cells, 1 inside.
 */
export function differsBy(kernel: Kernel, mask: Uint8Array, size: number, threshold: number): number {
  const { now, mean, around, width, height } = kernel.memory;
  const least = kernel.difference * 128;
  const step = size > manyCells ? 2 : 1;
  const counts = new Uint32Array(most + 1);
  let all = 0;
  for (let y = 0; y < height; y += step) {
    for (let i = y * width; i < (y + 1) * width; i += step) {
      if (mask[i] === 0) continue;
      const far = Math.abs(now[i] - mean[i] * kernel.gain);
      counts[Math.min(most, (far * Math.min(1, least / (around[i] * deviations))) >> 7)]++;
      all++;
    }
  }
  let above = 0;
  const wanted = Math.max(1, all * threshold);
  for (let level = most; level > 0; level--) {
    above += counts[level];
    if (above >= wanted) return level;
  }
  return 0;
}
