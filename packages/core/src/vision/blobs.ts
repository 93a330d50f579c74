import type { Box } from '@causalis/contract';

/** Changed cells that hang together. Edges in cells, `right` and `foot` inclusive. */
export interface Blob {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly foot: number;
  /** Number of changed cells. */
  readonly cells: number;
  /** Where its cells stand in the list that all blobs of a frame share: from here on, `cells` of them. */
  readonly from: number;
}

/** Finds blobs frame by frame, with one set of lists for all frames. */
export class BlobFinder {
  /** The cells of all blobs of the last frame, blob by blob. */
  readonly cells: Int32Array;
  private readonly width: number;
  private readonly height: number;
  private readonly words: number;

  constructor(width: number, height: number) {
    this.width = width;
    this.height = height;
    this.cells = new Int32Array(width * height);
    this.words = (width * height) >> 2;
  }

  /** Connected components with eight neighbours, one flood each; the mask is used up. Its first byte stands at a multiple of four. */
  find(mask: Uint8Array, leastCells: number): Blob[] {
    const { cells, width, height } = this;
    const four = new Uint32Array(mask.buffer, mask.byteOffset, this.words);
    const size = width * height;
    const blobs: Blob[] = [];
    let end = 0;
    for (let start = 0; start < size; start++) {
      // Almost all of a mask is empty: four cells at a time.
      if ((start & 3) === 0) {
        while (start >> 2 < this.words && four[start >> 2] === 0) start += 4;
        if (start >= size) break;
      }
      if (mask[start] === 0) continue;
      const from = end;
      let [left, top, right, foot] = [width, height, 0, 0];
      cells[end++] = start;
      mask[start] = 0;
      for (let next = from; next < end; next++) {
        const i = cells[next];
        const y = Math.floor(i / width);
        const x = i - y * width;
        if (x < left) left = x;
        if (x > right) right = x;
        if (y < top) top = y;
        if (y > foot) foot = y;
        for (let dy = y === 0 ? 0 : -1; dy <= (y === height - 1 ? 0 : 1); dy++) {
          for (let dx = x === 0 ? 0 : -1; dx <= (x === width - 1 ? 0 : 1); dx++) {
            const k = i + dy * width + dx;
            if (mask[k] !== 0) {
              mask[k] = 0;
              cells[end++] = k;
            }
          }
        }
      }
      if (end - from >= leastCells) blobs.push({ left, top, right, foot, cells: end - from, from });
      else end = from;
    }
    return blobs;
  }
}

/** Edges in cells, `right` and `foot` inclusive. */
export type Edges = Pick<Blob, 'left' | 'top' | 'right' | 'foot'>;

/** How far apart the pieces of one thing may lie, in cells: a dark coat hides the body between head and legs. */
const apart = { across: 2, down: 9 };
/** Where a whole body has the grey of the ground, head and feet alone are seen: small both, and this far apart at most. */
const loose = { down: 32, cells: 150, wide: 12 };

/**
 * Puts blobs together that are likely pieces of one thing: those that stand above each other, a little apart; `far` lets
 * small ones be further. `ownerOf` says to which of the things that are known a piece belongs: two things stay two.
 */
export function groupBlobs(blobs: readonly Blob[], far = true, ownerOf: (blob: Edges) => number | undefined = () => undefined): Blob[][] {
  const groups = blobs.map((blob) => ({ box: blob as Edges, owner: ownerOf(blob), blobs: [blob] }));
  for (let again = true; again; ) {
    again = false;
    for (let i = 0; i < groups.length; i++) {
      for (let k = groups.length - 1; k > i; k--) {
        const [a, b] = [groups[i].box, groups[k].box];
        const gapAcross = Math.max(a.left, b.left) - Math.min(a.right, b.right);
        const gapDown = Math.max(a.top, b.top) - Math.min(a.foot, b.foot);
        // Pieces side by side are two people; pieces above each other are one.
        const high = Math.max(a.foot, b.foot) - Math.min(a.top, b.top);
        const wide = Math.max(a.right, b.right) - Math.min(a.left, b.left);
        const small = far && Math.max(groups[i].blobs[0].cells, groups[k].blobs[0].cells) <= loose.cells && wide <= loose.wide;
        if (gapAcross > apart.across || gapDown > (small ? loose.down : apart.down) || (gapDown > 0 && high < wide)) continue;
        const [mine, theirs] = [groups[i].owner, groups[k].owner];
        if (mine !== undefined && theirs !== undefined && mine !== theirs) continue;
        groups[i].owner ??= theirs;
        groups[i].box = {
          left: Math.min(a.left, b.left),
          top: Math.min(a.top, b.top),
          right: Math.max(a.right, b.right),
          foot: Math.max(a.foot, b.foot),
        };
        groups[i].blobs.push(...groups[k].blobs);
        groups.splice(k, 1);
        again = true;
      }
    }
  }
  return groups.map((group) => group.blobs);
}

/** The edges of several blobs together. */
export function around(blobs: readonly Blob[]): Edges {
  const [first, ...rest] = blobs;
  return rest.reduce<Edges>(
    (all, { left, top, right, foot }) => ({
      left: Math.min(all.left, left),
      top: Math.min(all.top, top),
      right: Math.max(all.right, right),
      foot: Math.max(all.foot, foot),
    }),
    first,
  );
}

/** A blob's box as shares of the picture. */
export function boxOf(blob: Edges, width: number, height: number): Box {
  return [blob.left / width, blob.top / height, (blob.right + 1 - blob.left) / width, (blob.foot + 1 - blob.top) / height];
}
