import type { Box } from '@causalis/contract';

/** Changed cells that hang together. Edges in cells, `right` and `foot` inclusive. */
export interface Blob {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly foot: number;
  /** Number of changed cells. */
  readonly cells: number;
}

interface Growing {
  left: number;
  top: number;
  right: number;
  foot: number;
  cells: number;
}

/** Connected components of a mask with eight neighbours: one flood each, with a stack of its own. */
export function findBlobs(mask: Uint8Array, width: number, height: number, leastCells: number): Blob[] {
  const seen = new Uint8Array(mask.length);
  const stack = new Int32Array(mask.length);
  const blobs: Blob[] = [];
  for (let start = 0; start < mask.length; start++) {
    if (mask[start] === 0 || seen[start] === 1) continue;
    const blob: Growing = { left: width, top: height, right: 0, foot: 0, cells: 0 };
    let depth = 0;
    stack[depth++] = start;
    seen[start] = 1;
    while (depth > 0) {
      const i = stack[--depth];
      const y = Math.floor(i / width);
      const x = i - y * width;
      blob.cells++;
      if (x < blob.left) blob.left = x;
      if (x > blob.right) blob.right = x;
      if (y < blob.top) blob.top = y;
      if (y > blob.foot) blob.foot = y;
      for (let dy = y === 0 ? 0 : -1; dy <= (y === height - 1 ? 0 : 1); dy++) {
        for (let dx = x === 0 ? 0 : -1; dx <= (x === width - 1 ? 0 : 1); dx++) {
          const k = i + dy * width + dx;
          if (mask[k] === 1 && seen[k] === 0) {
            seen[k] = 1;
            stack[depth++] = k;
          }
        }
      }
    }
    if (blob.cells >= leastCells) blobs.push(blob);
  }
  return blobs;
}

/** A blob's box as shares of the picture. */
export function boxOf(blob: Blob, width: number, height: number): Box {
  return [blob.left / width, blob.top / height, (blob.right + 1 - blob.left) / width, (blob.foot + 1 - blob.top) / height];
}
