import assert from 'node:assert/strict';
import { test } from 'node:test';
import {
  atRest,
  fillPolygon,
  type GreyPicture,
  Kernel,
  type MotionSettings,
  motionDetector,
  nextZoneState,
  plainOpsFor,
  type ZoneState,
} from '../src/index.js';
import { findBlobs } from '../src/vision/blobs.js';
import { watched } from './watched.js';

const width = 160;
const height = 90;
const everyMs = 200;
const settings = { ...watched, threshold: 0.004, smallest: 0.002 };

/** A grey picture with squares on it: left, top, side, grey. */
function picture(frame: number, ...squares: [number, number, number, number][]): GreyPicture {
  const bytes = new Uint8Array(width * height).fill(100);
  for (const [left, top, side, grey] of squares)
    for (let y = top; y < Math.min(height, top + side); y++)
      for (let x = left; x < Math.min(width, left + side); x++) bytes[y * width + x] = grey;
  return { width, height, bytes, timeMs: frame * everyMs };
}
/** By then it is known how much each place moves by itself. */
const settledFrame = 80;

/** Shows frames after settling and returns the changes with their frame. */
function run(of: MotionSettings, frames: number, draw: (i: number) => [number, number, number, number][]) {
  const detector = motionDetector(of);
  for (let i = 0; i < settledFrame; i++) detector.see(picture(i));
  return Array.from({ length: frames }, (_, i) =>
    detector.see(picture(settledFrame + i, ...draw(i))).changes.map((change) => ({ frame: i, ...change })),
  ).flat();
}
/** A person-sized square that walks to the right for `last` frames. */
const walker =
  (last: number) =>
  (i: number): [number, number, number, number][] =>
    i < last ? [[10 + i * 3, 40, 12, 180]] : [];

test('motion begins after at-least and ends after quiet', () => {
  const changes = run(settings, 40, walker(15));
  assert.deepEqual(
    changes.map(({ change, frame }) => [change, frame]),
    [
      ['began', 2],
      ['ended', 24],
    ],
  );
  assert.equal(changes[0].firstMs, settledFrame * everyMs);
  assert.equal(changes[1].lastMs, (settledFrame + 14) * everyMs);
});

test('what is too small, too large or too short does not count', () => {
  assert.deepEqual(
    run(settings, 20, () => [[50, 40, 3, 180]]),
    [],
  );
  assert.deepEqual(run({ ...settings, largest: 0.005 }, 20, walker(15)), []);
  assert.deepEqual(run(settings, 20, walker(1)), []);
});

test('what one picture shows begins nothing, however often it is sent', () => {
  const once = (i: number) => (i < 5 ? walker(1)(0) : []);
  assert.deepEqual(run(settings, 20, once), []);
  const threeTimesEach = (i: number) => walker(5)(Math.floor(i / 3));
  const [began, ended] = run(settings, 60, threeTimesEach);
  assert.deepEqual(
    [began.change, began.frame, began.firstMs],
    ['began', 3, settledFrame * everyMs],
    'with the second picture, from the first on',
  );
  assert.deepEqual([ended.change, ended.lastMs], ['ended', (settledFrame + 14) * everyMs]);
});

test('an ignored area hides what moves in it and nothing else', () => {
  const area = [
    [0, 0.4],
    [1, 0.4],
    [1, 0.65],
    [0, 0.65],
  ] as [number, number][];
  assert.deepEqual(run({ ...settings, ignored: [area] }, 30, walker(15)), []);
  const below = (i: number): [number, number, number, number][] => [[10 + i * 3, 68, 12, 180]];
  assert.equal(run({ ...settings, ignored: [area] }, 10, below)[0]?.change, 'began');
});

test('motion in one zone never hides motion in another', () => {
  const zones = [
    {
      name: 'left',
      area: [
        [0, 0],
        [0.5, 0],
        [0.5, 1],
        [0, 1],
      ] as [number, number][],
    },
    {
      name: 'right',
      area: [
        [0.5, 0],
        [1, 0],
        [1, 1],
        [0.5, 1],
      ] as [number, number][],
    },
  ];
  const both = (i: number): [number, number, number, number][] => [
    [4 + (i % 20) * 2, 20, 12, 180],
    ...(i > 8 ? ([[90 + i, 60, 12, 30]] as [number, number, number, number][]) : []),
  ];
  assert.deepEqual(
    run({ ...settings, zones }, 16, both).map(({ zone, change, frame }) => [zone, change, frame]),
    [
      ['left', 'began', 2],
      ['right', 'began', 11],
    ],
  );
});

test('a change of the whole picture’s light is no motion', () => {
  const detector = motionDetector(settings);
  for (let i = 0; i < settledFrame; i++) detector.see(picture(i));
  for (let i = 0; i < 20; i++) {
    const dimmed = picture(settledFrame + i);
    dimmed.bytes.fill(100 - i * 3);
    assert.deepEqual(detector.see(dimmed).changes, []);
  }
});

test('another picture altogether settles anew instead of counting', () => {
  const detector = motionDetector(settings);
  for (let i = 0; i < settledFrame; i++) detector.see(picture(i));
  const other = picture(settledFrame);
  for (let i = 0; i < other.bytes.length; i++) other.bytes[i] = Math.floor((i % width) / 7) % 2 === 0 ? 20 : 220;
  const looks = Array.from({ length: 9 }, (_, i) => detector.see({ ...other, timeMs: (settledFrame + i) * everyMs }));
  assert.deepEqual(
    looks.flatMap(({ changes }) => changes),
    [],
  );
  assert.ok(looks.at(-1)?.settling);
});

test('lightning is waited for and changes nothing', () => {
  const detector = motionDetector(settings);
  for (let i = 0; i < settledFrame; i++) detector.see(picture(i));
  const flash = { ...picture(settledFrame), bytes: new Uint8Array(width * height).map((_, i) => (i % width < 100 ? 250 : 100)) };
  assert.deepEqual(detector.see(flash).changes, []);
  const walk = Array.from({ length: 8 }, (_, i) => detector.see(picture(settledFrame + 1 + i, ...walker(9)(i))));
  assert.ok(walk.every(({ settling }) => !settling));
  assert.deepEqual(
    walk.flatMap(({ changes }) => changes.map(({ change }) => change)),
    ['began'],
  );
});

test('a gap in the pictures ends what moved', () => {
  const detector = motionDetector(settings);
  for (let i = 0; i < settledFrame; i++) detector.see(picture(i));
  for (let i = 0; i < 4; i++) detector.see(picture(settledFrame + i, ...walker(9)(i)));
  assert.deepEqual(
    detector.see(picture(settledFrame + 40)).changes.map(({ change }) => change),
    ['ended'],
  );
});

test('the same pictures give the same looks', () => {
  assert.deepEqual(run(settings, 30, walker(20)), run(settings, 30, walker(20)));
});

test('a cell that moves by itself is learned and passed over', () => {
  const kernel = new Kernel({ width: 16, height: 16, factor: 1 }, 256, 10, plainOpsFor);
  const bytes = new Uint8Array(256).fill(100);
  let late = 0;
  for (let i = 0; i < 600; i++) {
    for (const at of [102, 103, 118, 119]) bytes[at] = i % 3 === 0 ? 140 : 100;
    kernel.see({ width: 16, height: 16, bytes, timeMs: i * 200 }, 200);
    if (i >= 400) late += kernel.memory.changed[102];
  }
  assert.equal(late, 0);
});

test('zones, specks and blobs are cut out as drawn', () => {
  const half = fillPolygon(
    [
      [0, 0],
      [0.5, 0],
      [0.5, 1],
      [0, 1],
    ],
    10,
    4,
  );
  assert.equal(
    half.reduce((a, b) => a + b),
    20,
  );
  const ops = plainOpsFor({ width: 12, height: 8, factor: 1, pictureBytes: 96 });
  for (const at of [40, 41, 52, 56, 95]) ops.memory.grown[at] = 1;
  assert.deepEqual(findBlobs(ops.memory, ops.runs(), 2), [{ left: 4, top: 3, right: 5, foot: 4, cells: 3, from: 0 }]);
  assert.deepEqual([...ops.memory.listed.subarray(0, 3)], [40, 41, 52]);
});

test('a short gap does not begin the count anew', () => {
  const timing = { atLeastMs: 600, quietMs: 1_000, pauseMs: 0 };
  let state: ZoneState = atRest;
  const said = [true, true, false, true, true].map((passes, i) => {
    const next = nextZoneState(state, passes, 0.1, i * 200, timing);
    state = next.state;
    return next.change;
  });
  assert.deepEqual(said, [undefined, undefined, undefined, 'began', undefined]);
});

test('nothing begins in the pause after motion has ended', () => {
  const timing = { atLeastMs: 0, quietMs: 400, pauseMs: 1_000 };
  let state: ZoneState = atRest;
  const said = Array.from({ length: 14 }, (_, i) => {
    const next = nextZoneState(state, i !== 1 && i !== 2, 0.1, i * 200, timing);
    state = next.state;
    return next.change;
  });
  assert.deepEqual(
    said.flatMap((change, i) => (change ? [[i, change]] : [])),
    [
      [0, 'began'],
      [2, 'ended'],
      [7, 'began'],
    ],
  );
});

test('what is followed when the pictures have a gap is gone, and told so', () => {
  const detector = motionDetector(settings);
  for (let i = 0; i < settledFrame; i++) detector.see(picture(i));
  for (let i = 0; i < 6; i++) detector.see(picture(settledFrame + i, ...walker(9)(i)));
  const [followed] = detector.things;
  detector.see(picture(settledFrame + 40));
  assert.deepEqual(
    detector.gone.map(({ id }) => id),
    [followed.id],
  );
});
