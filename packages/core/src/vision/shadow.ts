import type { Blob, Edges } from './blobs.js';
import type { Kernel } from './kernel/kernel.js';

/** Black cells, whose ratio is mostly noise, weigh little: 8 levels × 128. */
const offset = 1_024;
/** A shadow leaves this share of the light at least, and takes so much that it is seen. */
const lightLeft = { least: 0.3, most: 0.93 };
/** What the ground shows goes on under a shadow: the share of light left differs from cell to cell by less than this. */
const evenness = 0.05;
/** Columns are a shadow's when this share of their inner cells is, and each is this low beside the highest. */
const shadowShare = 0.5;
const low = 0.5;
/** So much of a thing's width must go that it is worth it, and so many cells stay: the outermost are the mask's rim. */
const worthwhile = 0.2;
const leastWide = 3;
/** A thing that is narrower than this share of its height throws none to its side; one as small as this says nothing. */
const leastShape = 0.6;
const leastCells = 60;

/**
 * The edges of a thing without the shadow that it throws to its side. Under a shadow the ground goes on, darker by
 * one factor (ratio of intensities, Rosin and Ellis 1995), and it lies low beside the body. Grey cannot tell a shadow
 * before somebody's feet from dark trousers, so that only columns go, from the outside.
 */
export function withoutShadow(pieces: readonly Blob[], edges: Edges, cells: Int32Array, { memory }: Kernel): Edges {
  const { now, mean, changed, width } = memory;
  const { left, right, top, foot } = edges;
  const wide = right - left + 1;
  const all = pieces.reduce((sum, piece) => sum + piece.cells, 0);
  if (all < leastCells || wide < (foot - top + 1) * leastShape) return edges;
  const [high, inner, shaded] = [new Uint16Array(wide), new Uint16Array(wide), new Uint16Array(wide)];
  const ratio = (i: number) => (now[i] + offset) / (mean[i] + offset);
  for (const { from, cells: count } of pieces) {
    for (let k = from; k < from + count; k++) {
      const i = cells[k];
      const column = (i % width) - left;
      high[column]++;
      if (!(changed[i] && changed[i - 1] && changed[i + 1] && changed[i - width] && changed[i + width])) continue;
      inner[column]++;
      const here = ratio(i);
      if (here < lightLeft.least || here > lightLeft.most) continue;
      if (Math.abs(here - ratio(i + 1)) < evenness && Math.abs(here - ratio(i + width)) < evenness) shaded[column]++;
    }
  }
  const mostHigh = high.reduce((most, one) => Math.max(most, one), 0) * low;
  /** How many columns from one end on are low, when what they show is a shadow. */
  const thrown = (begin: number, step: 1 | -1): number => {
    let [count, seen, dark] = [0, 0, 0];
    for (let column = begin; count < wide && high[column] < mostHigh; column += step, count++) {
      seen += inner[column];
      dark += shaded[column];
    }
    return dark > 0 && dark >= seen * shadowShare ? count : 0;
  };
  const [before, behind] = [thrown(0, 1), thrown(wide - 1, -1)];
  const gone = before + behind;
  return gone < wide * worthwhile || wide - gone < leastWide ? edges : { ...edges, left: left + before, right: right - behind };
}
