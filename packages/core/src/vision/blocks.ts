import type { Blob } from './blobs.js';
import type { Grid } from './grid.js';

/** Blocks into which a picture is cut for remembering where something moved. */
export const blockGrid = { across: 32, down: 18 } as const;

/** Counts cells by the blocks of the picture in which they lie, with one set of arrays for all pictures. */
export class BlockCounter {
  private readonly width: number;
  /** The block's place in its row for each column of cells, and the first block of its row for each row. */
  private readonly across: Uint8Array;
  private readonly down: Uint16Array;
  private readonly counts = new Uint16Array(blockGrid.across * blockGrid.down);

  constructor({ width, height }: Grid) {
    this.width = width;
    this.across = Uint8Array.from({ length: width }, (_, x) => Math.floor((x * blockGrid.across) / width));
    this.down = Uint16Array.from({ length: height }, (_, y) => Math.floor((y * blockGrid.down) / height) * blockGrid.across);
  }

  /** Block, count, block, count … of a thing's pieces. */
  count(pieces: readonly Blob[], cells: Int32Array): number[] {
    const { across, down, counts, width } = this;
    const touched: number[] = [];
    for (const { from, cells: count } of pieces) {
      for (let k = from; k < from + count; k++) {
        const y = Math.floor(cells[k] / width);
        const block = down[y] + across[cells[k] - y * width];
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
