import assert from 'node:assert/strict';
import { readFile } from 'node:fs/promises';
import { test } from 'node:test';
import fc from 'fast-check';
import { Kernel, plainOpsFor, wasmOps } from '../src/index.js';

const vectors = wasmOps(await readFile(new URL('../kernel.wasm', import.meta.url)));
const arrays = ['cells', 'now', 'mean', 'deviation', 'around', 'recent', 'changed', 'active', 'clean', 'grown', 'begin', 'end'] as const;

/** A row of pictures with noise, changing light and something that walks, from a seed. */
function* pictures(seed: number, width: number, height: number, frames: number) {
  let state = seed;
  const chance = () => {
    state = (Math.imul(state, 1_103_515_245) + 12_345) >>> 0;
    return state / 4_294_967_296;
  };
  const ground = Uint8Array.from({ length: width * height }, () => chance() * 255);
  for (let frame = 0; frame < frames; frame++) {
    const light = 1 + Math.sin(frame / 3) * 0.3;
    const bytes = ground.map((level) => Math.max(0, Math.min(255, level * light + (chance() - 0.5) * 30)));
    for (let y = height >> 2; y < height >> 1; y++)
      bytes.fill(frame % 2 === 0 ? 255 : 0, y * width + frame, y * width + frame + (width >> 2));
    yield { bytes, elapsedMs: 20 + Math.floor(chance() * 400), hold: frame % 5 === 4 ? 255 : 0 };
  }
}

test('vectors and plain code make the same bytes of any pictures', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 1_000_000 }),
      fc.integer({ min: 20, max: 90 }),
      fc.integer({ min: 10, max: 60 }),
      fc.integer({ min: 1, max: 7 }),
      fc.integer({ min: 2, max: 120 }),
      (seed, wide, high, factor, difference) => {
        const [width, height] = [wide * factor + (seed % factor), high * factor];
        const grid = { width: wide, height: high, factor };
        const plain = new Kernel(grid, width * height, difference, plainOpsFor);
        const fast = new Kernel(grid, width * height, difference, vectors);
        for (const { bytes, elapsedMs, hold } of pictures(seed, width, height, 14)) {
          for (const { memory } of [plain, fast]) memory.hold.fill(hold, wide, wide * 3);
          const picture = { width, height, bytes, timeMs: 0 };
          assert.deepEqual(fast.see(picture, elapsedMs), plain.see(picture, elapsedMs));
          assert.equal(fast.runs(), plain.runs());
          for (const name of arrays) assert.deepEqual(fast.memory[name], plain.memory[name], name);
        }
      },
    ),
    { numRuns: 40 },
  );
});
