import assert from 'node:assert/strict';
import { readFile } from 'node:fs/promises';
import { test } from 'node:test';
import fc from 'fast-check';
import { Kernel, plainOpsFor, wasmOps } from '../src/index.js';

const vectors = wasmOps(await readFile(new URL('../kernel.wasm', import.meta.url)));
const arrays = ['cells', 'now', 'mean', 'deviation', 'around', 'recent', 'changed', 'active', 'clean', 'grown'] as const;

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
          const runs = plain.runs();
          assert.equal(fast.runs(), runs);
          for (const name of ['begin', 'end'] as const)
            assert.deepEqual(fast.memory[name].subarray(0, runs), plain.memory[name].subarray(0, runs), name);
          for (const name of arrays) assert.deepEqual(fast.memory[name], plain.memory[name], name);
        }
      },
    ),
    { numRuns: 40 },
  );
});

test('kernels that share a bench do not disturb each other', () => {
  const grid = { width: 60, height: 40, factor: 2 };
  const [width, height] = [120, 80];
  const seeds = [3, 17, 29];
  const shared = seeds.map((seed) => ({ kernel: new Kernel(grid, width * height, 12, vectors), from: pictures(seed, width, height, 14) }));
  // What one gives back is taken again by the next.
  shared[0].kernel.end();
  shared[0] = { kernel: new Kernel(grid, width * height, 12, vectors), from: pictures(seeds[0], width, height, 14) };
  const alone = seeds.map((seed) => ({
    kernel: new Kernel(grid, width * height, 12, plainOpsFor),
    from: pictures(seed, width, height, 14),
  }));
  for (let frame = 0; frame < 14; frame++) {
    for (const [i, one] of shared.entries()) {
      const [mine, theirs] = [one.from.next().value, alone[i].from.next().value];
      if (!mine || !theirs) return assert.fail('a picture is missing');
      const look = one.kernel.see({ width, height, bytes: mine.bytes, timeMs: 0 }, mine.elapsedMs);
      assert.deepEqual(look, alone[i].kernel.see({ width, height, bytes: theirs.bytes, timeMs: 0 }, theirs.elapsedMs));
      for (const name of arrays) assert.deepEqual(one.kernel.memory[name], alone[i].kernel.memory[name], name);
    }
  }
});
