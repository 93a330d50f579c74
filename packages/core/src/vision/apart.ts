import type { Box } from '@causalis/contract';
import { around, type Blob, boxOf, type Edges } from './blobs.js';
import { expected, shared, type Track } from './tracks.js';

/** A thing that was seen so often is known. */
const knownAfter = 5;
/** It has gone at least this share of the picture. */
const leastWay = 0.03;
/** A piece is a known thing's own when this share of it lies where that is expected; a known thing is in a blob when this share of it is. */
const ownedShare = 0.6;
/** A part of a blob with fewer cells, or narrower than the rim that the mask puts around each thing, is nobody. */
const leastCells = 12;
const leastWide = 3;

/** A thing that has been followed for a while, and where it is expected now. */
export interface Known {
  readonly id: number;
  readonly box: Box;
}

/** Of the things that are followed those that are known: they count, and have gone somewhere. */
export const knownThings = (tracks: readonly Track[], counts: (id: number) => boolean, timeMs: number): Known[] =>
  tracks
    .filter(({ id, seen, travelled }) => seen >= knownAfter && travelled >= leastWay && counts(id))
    .map((track) => ({ id: track.id, box: expected(track, timeMs) }));

/** A known thing does not become so much higher from one picture to the next by what is far above or below it. */
const mostGrowth = 1.6;

/** Says of a thing that would be put together of pieces far apart whether none of the known ones in it would outgrow itself. */
export const fitsKnown =
  (known: readonly Known[], width: number, height: number) =>
  (whole: Edges): boolean => {
    const box = boxOf(whole, width, height);
    return !known.some(({ box: at }) => shared(at, box) >= ownedShare && box[3] > at[3] * mostGrowth);
  };

/** Says of a piece to which of the known things it belongs. */
export function ownerAmong(known: readonly Known[], width: number, height: number): (piece: Edges) => number | undefined {
  if (known.length < 2) return () => undefined;
  return (piece) => {
    const box = boxOf(piece, width, height);
    const [best] = known.map(({ id, box: at }) => ({ id, share: shared(box, at) })).sort((a, b) => b.share - a.share);
    return best.share >= ownedShare ? best.id : undefined;
  };
}

/**
 * Parts a thing in which known ones have become one, because their shadows touch or one passes before the other: each
 * cell goes to whichever is expected nearest. Cells are put in another order, within their own pieces only.
 */
export function parted(
  pieces: readonly Blob[],
  cells: Int32Array,
  known: readonly Known[],
  { width, height }: { readonly width: number; readonly height: number },
): Blob[][] {
  if (known.length < 2) return [[...pieces]];
  const whole = boxOf(around(pieces), width, height);
  const within = known.filter(({ box }) => shared(box, whole) >= ownedShare);
  if (within.length < 2) return [[...pieces]];
  const nearest = (i: number): number => {
    const [x, y] = [((i % width) + 0.5) / width, (Math.floor(i / width) + 0.5) / height];
    let [best, least] = [0, Number.POSITIVE_INFINITY];
    within.forEach(({ box: [left, top, wide, high] }, k) => {
      // In sizes of the thing from its middle: inside of its box both are at most one.
      const far = Math.max(Math.abs(x - left - wide / 2) / wide, Math.abs(y - top - high / 2) / high);
      if (far < least) [best, least] = [k, far];
    });
    return best;
  };
  const parts: Blob[][] = within.map(() => []);
  for (const { from, cells: count } of pieces) {
    const by: number[][] = within.map(() => []);
    for (let k = from; k < from + count; k++) by[nearest(cells[k])].push(cells[k]);
    let at = from;
    by.forEach((own, k) => {
      if (own.length === 0) return;
      cells.set(own, at);
      parts[k].push({ ...edgesOf(own, width), cells: own.length, from: at });
      at += own.length;
    });
  }
  return parts.filter((part) => {
    if (part.reduce((sum, piece) => sum + piece.cells, 0) < leastCells) return false;
    const { left, top, right, foot } = around(part);
    return right - left + 1 >= leastWide && foot - top + 1 >= leastWide;
  });
}

function edgesOf(own: readonly number[], width: number): Edges {
  const edges = { left: width, top: Number.POSITIVE_INFINITY, right: 0, foot: 0 };
  for (const i of own) {
    const [x, y] = [i % width, Math.floor(i / width)];
    edges.left = Math.min(edges.left, x);
    edges.right = Math.max(edges.right, x);
    edges.top = Math.min(edges.top, y);
    edges.foot = Math.max(edges.foot, y);
  }
  return edges;
}
