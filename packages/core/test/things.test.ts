import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { Box } from '@causalis/contract';
import { type GreyPicture, motionDetector, Tracker } from '../src/index.js';
import { watched } from './watched.js';

// What is a thing, and what only looks like one: leaves, shadows, pictures that are sent again.
const width = 160;
const height = 90;
const everyMs = 200;
/** By then it is known how much each place moves by itself. */
const settledFrame = 90;

/** A number from 0 to 1 that is always the same for the same three. */
const chance = (a: number, b: number, c: number): number => {
  const x = Math.sin(a * 127.1 + b * 311.7 + c * 74.7) * 43_758.5453;
  return x - Math.floor(x);
};
type Draw = (grey: number, x: number, y: number, frame: number) => number;
/** Gravel under a sensor's noise, with whatever is drawn on it. */
function picture(frame: number, draw: Draw, timeMs = frame * everyMs): GreyPicture {
  const bytes = new Uint8Array(width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      bytes[y * width + x] = draw(110 + 50 * chance(x >> 1, y >> 1, 1), x, y, frame) + 3 * chance(x, y, frame + 2);
  return { width, height, bytes, timeMs };
}
const nothing: Draw = (grey) => grey;
const within = (x: number, y: number, [left, top, wide, high]: readonly number[]) =>
  x >= left && x < left + wide && y >= top && y < top + high;

test('what is seen here and there goes nowhere; what runs goes on', () => {
  const way = (boxes: readonly Box[]) => {
    const tracker = new Tracker({ forgetMs: 1_500, reach: 3 });
    return Math.max(...boxes.map((box, i) => tracker.see([{ box }], i * everyMs).of[0].travelled));
  };
  const leaves = Array.from({ length: 20 }, (_, i): Box => [0.4 + 0.1 * chance(i, 3, 5), 0.4 + 0.1 * chance(i, 4, 6), 0.03, 0.03]);
  assert.ok(way(leaves) < 0.05, `leaves: ${way(leaves)}`);
  const runs = Array.from({ length: 8 }, (_, i): Box => [0.1 + i * 0.08, 0.5, 0.05, 0.1]);
  assert.ok(way(runs) > 0.4, `somebody who runs: ${way(runs)}`);
});

test('pictures that are sent again are one: what moves begins once, and no later', () => {
  const walk: Draw = (grey, x, y, frame) => (within(x, y, [10 + (frame - settledFrame) * 3, 40, 9, 22]) ? 30 : grey);
  const begins = (times: number) => {
    const detector = motionDetector(watched);
    const began: number[] = [];
    for (let i = 0; i < settledFrame + 30; i++) {
      for (let k = 0; k < times; k++) {
        const { changes } = detector.see(picture(i, i < settledFrame ? nothing : walk, i * everyMs + (k * everyMs) / times));
        if (changes.some(({ change }) => change === 'began')) began.push(i);
      }
    }
    return began;
  };
  const [often, once] = [begins(4), begins(1)];
  assert.deepEqual([often.length, once.length], [1, 1]);
  assert.ok(Math.abs(often[0] - once[0]) <= 1, `${often} and ${once}`);
});

test('a body’s shadow is no part of its size', () => {
  const body = [60, 30, 10, 30];
  const shadow = [70, 50, 26, 9];
  const walk: Draw = (grey, x, y, frame) => {
    const step = (frame - settledFrame) * 2;
    if (within(x - step, y, body)) return 40 + 30 * chance(x - step, y, 9);
    return within(x - step, y, shadow) ? grey * 0.6 : grey;
  };
  const detector = motionDetector(watched);
  for (let i = 0; i < settledFrame; i++) detector.see(picture(i, nothing));
  const wide = Array.from({ length: 8 }, (_, i) => {
    const { blobs } = detector.see(picture(settledFrame + i, walk));
    return Math.max(0, ...blobs.map(({ box }) => box[2])) * width;
  }).slice(3);
  assert.ok(
    wide.every((cells) => cells >= 9 && cells <= 16),
    `the body is 10 wide, with its shadow 36: ${wide}`,
  );
});

test('before leaves that flicker, what is whole counts although it hardly moves', () => {
  const tree = [60, 10, 60, 60];
  const flicker: Draw = (grey, x, y, frame) => (within(x, y, tree) && chance(x >> 1, y >> 1, frame * 7) > 0.7 ? grey - 60 : grey);
  const hand: Draw = (grey, x, y, frame) =>
    within(x, y, [70, 20 + ((frame - settledFrame) % 2), 30, 36]) ? 215 - 8 * (frame % 2) : flicker(grey, x, y, frame);
  const detector = motionDetector(watched);
  const look = (i: number, draw: Draw) => detector.see(picture(i, draw)).changes.map(({ change }) => change);
  const calm = Array.from({ length: settledFrame }, (_, i) => look(i, flicker)).flat();
  assert.deepEqual(calm, [], 'the leaves alone are nothing');
  assert.deepEqual(Array.from({ length: 12 }, (_, i) => look(settledFrame + i, hand)).flat(), ['began']);
});

test('the meter of differences passes its line exactly when enough of the zone has changed', () => {
  const walk: Draw = (grey, x, y, frame) => (within(x, y, [10 + (frame - settledFrame) * 3, 40, 9, 22]) ? 30 : grey);
  const sways: Draw = (grey, x, y, frame) => (within(x, y, [100, 0, 30, 40]) && frame % 2 === 1 ? grey - 40 : grey);
  const detector = motionDetector({ ...watched, threshold: 0.005 });
  for (let i = 0; i < settledFrame; i++) detector.see(picture(i, sways));
  const differs = (i: number, draw: Draw) => {
    const { difference, threshold } = detector.see(picture(i, draw));
    return [detector.differs('picture', threshold), difference];
  };
  const [calm, line] = differs(settledFrame, (grey, x, y) => sways(grey, x, y, 1));
  assert.ok(calm < line, `what sways as ever: ${calm} of ${line}`);
  const [walked] = differs(settledFrame + 3, walk);
  assert.ok(walked > line * 2, `somebody: ${walked} of ${line}`);
  assert.equal(detector.differs('no such zone', 0.1), 0);
});

test('a lamp that is switched back shows what is known: who comes then is seen at once', () => {
  const lit = (on: boolean): Draw => (on ? nothing : (grey, x) => grey * (x < 50 ? 0.35 : x < 105 ? 0.65 : 1));
  const detector = motionDetector(watched);
  const began: number[] = [];
  const settles: number[] = [];
  for (let i = 0; i < 330; i++) {
    const light = lit(Math.floor(i / 90) % 2 === 0);
    // Somebody comes in right after the lamp was switched on again.
    const walk: Draw = (grey, x, y, frame) => (i >= 181 && within(x, y, [10 + (i - 181) * 3, 40, 9, 22]) ? 30 : light(grey, x, y, frame));
    const { changes, settling } = detector.see(picture(i, walk));
    if (changes.some(({ change }) => change === 'began')) began.push(i);
    if (settling && i > 20) settles.push(i);
  }
  assert.ok(settles.length > 0 && settles.every((i) => i < 120), `the first time it must be learned: ${settles}`);
  assert.equal(began.length, 1);
  assert.ok(began[0] >= 181 && began[0] <= 186, `${began}`);
});

test('two who are known stay two when they touch on the picture, and go apart again', () => {
  // One goes to the right; the other comes near from below, touches them, and goes away again.
  const draw: Draw = (grey, x, y, frame) => {
    const i = frame - settledFrame;
    const near = Math.min(22, Math.abs(i - 16) * 2);
    const [first, second] = [
      [20 + i * 3, 8, 10, 26],
      [26 + i * 3, 34 + near, 10, 26],
    ];
    if (within(x, y, first)) return 30;
    return within(x, y, second) ? 225 : grey;
  };
  const detector = motionDetector(watched);
  for (let i = 0; i < settledFrame; i++) detector.see(picture(i, nothing));
  const counted = Array.from({ length: 30 }, (_, i) => {
    const { blobs } = detector.see(picture(settledFrame + i, draw));
    return blobs.flatMap(({ verdict, track }) => (verdict === 'counted' ? [track] : [])).sort((a, b) => a - b);
  }).slice(8);
  assert.ok(
    counted.every((tracks) => tracks.length === 2 && tracks.join() === counted[0].join()),
    counted.map((tracks) => tracks.join()).join(' | '),
  );
});

test('a small thing that is known does not grow by a glint far above it', () => {
  // Somebody small who wades, seen by a head and no more; for a moment something glitters above, as head and feet may lie apart.
  const wader = (frame: number) => [40 + (frame - settledFrame), 60, 5, 6] as const;
  const glint = (frame: number) => frame % 8 < 3 && frame > settledFrame + 14;
  const detector = motionDetector({ ...watched, smallest: 0.0005 });
  const highest: number[] = [];
  for (let i = 0; i < settledFrame + 40; i++) {
    const { blobs } = detector.see(
      picture(i, (grey, x, y) => {
        if (i < settledFrame) return grey;
        const [left, top] = wader(i);
        return within(x, y, wader(i)) || (glint(i) && within(x, y, [left, top - 22, 5, 4])) ? 250 : grey;
      }),
    );
    if (i > settledFrame + 14) highest.push(Math.max(0, ...blobs.filter(({ verdict }) => verdict === 'counted').map(({ box }) => box[3])));
  }
  assert.ok(Math.max(...highest) > 0, 'it counts');
  assert.ok(Math.max(...highest) * height < 14, `${(Math.max(...highest) * height).toFixed(0)} cells high`);
});
