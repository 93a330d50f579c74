import type { Blob } from './blobs.js';
import type { Grid } from './grid.js';

/** Blocks into which a picture is cut for remembering where something moved. */
export const blockGrid = { across: 32, down: 18 } as const;

/** Counts cells by the blocks of the picture in which they lie, with one set of arrays for all pictures. */
export class BlockCounter {
  private readonly blockOf: Uint16Array;
  private readonly counts = new Uint16Array(blockGrid.across * blockGrid.down);

  constructor({ width, height }: Grid) {
    this.blockOf = Uint16Array.from({ length: width * height }, (_, i) => {
      const y = Math.floor(i / width);
      return Math.floor((y * blockGrid.down) / height) * blockGrid.across + Math.floor(((i - y * width) * blockGrid.across) / width);
    });
  }

  /** Block, count, block, count … of a thing's pieces. */
  count(pieces: readonly Blob[], cells: Int32Array): number[] {
    const { blockOf, counts } = this;
    const touched: number[] = [];
    for (const { from, cells: count } of pieces) {
      for (let k = from; k < from + count; k++) {
        const block = blockOf[cells[k]];
        if (counts[block]++ === 0) touched.push(block);
      }
    }
    const found: number[] = [];
    for (const block of touched) {
      found.push(block, counts[block]);
      counts[block] = 0;
    }
    return found;
  }
}
