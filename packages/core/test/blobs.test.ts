import assert from 'node:assert/strict';
import { test } from 'node:test';
import fc from 'fast-check';
import { plainOpsFor } from '../src/index.js';
import { findBlobs } from '../src/vision/blobs.js';

/** What hangs together, cell by cell with all eight neighbours: slow and plain. */
function flood(mask: Uint8Array, width: number, height: number): number[][] {
  const seen = new Set<number>();
  const found: number[][] = [];
  mask.forEach((cell, start) => {
    if (cell === 0 || seen.has(start)) return;
    seen.add(start);
    const cells = [start];
    for (const i of cells) {
      const [x, y] = [i % width, Math.floor(i / width)];
      for (const [dx, dy] of [-1, 0, 1].flatMap((a) => [-1, 0, 1].map((b) => [a, b]))) {
        const [nx, ny] = [x + dx, y + dy];
        const k = ny * width + nx;
        if (nx < 0 || ny < 0 || nx >= width || ny >= height || mask[k] === 0 || seen.has(k)) continue;
        seen.add(k);
        cells.push(k);
      }
    }
    found.push(cells.sort((a, b) => a - b));
  });
  return found;
}

test('blobs by runs are those of a flood, cell by cell', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 5, max: 70 }),
      fc.integer({ min: 3, max: 40 }),
      fc.array(fc.nat({ max: 2_800 }), { maxLength: 120 }),
      fc.integer({ min: 9, max: 30 }),
      (width, height, spots, least) => {
        const ops = plainOpsFor({ width, height, factor: 1, pictureBytes: width * height });
        const { grown } = ops.memory;
        // As tidying leaves it: each spot with all around it, on the picture's edge too.
        for (const spot of spots) {
          const i = spot % (width * height);
          const [x, y] = [Math.max(1, Math.min(width - 2, i % width)), Math.floor(i / width)];
          for (let ny = Math.max(0, y - 1); ny <= Math.min(height - 1, y + 1); ny++) grown.fill(1, ny * width + x - 1, ny * width + x + 2);
        }
        const blobs = findBlobs(ops.memory, ops.runs(), least);
        const wanted = flood(grown, width, height).filter((cells) => cells.length >= least);
        assert.deepEqual(
          blobs.map(({ from, cells }) => [...ops.memory.listed.subarray(from, from + cells)]),
          wanted,
        );
        assert.deepEqual(
          blobs.map(({ left, top, right, foot }) => [left, top, right, foot]),
          wanted.map((cells) => {
            const [xs, ys] = [cells.map((i) => i % width), cells.map((i) => Math.floor(i / width))];
            return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
          }),
        );
      },
    ),
    { numRuns: 300 },
  );
});
