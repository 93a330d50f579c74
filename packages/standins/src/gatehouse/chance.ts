/** A repeatable source of chance in [0, 1): the same seed gives the same row of numbers (mulberry32). */
export function chance(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** A number between `low` and `high` from a source of chance. */
export const between = (next: () => number, low: number, high: number): number => low + (high - low) * next();
