import assert from 'node:assert/strict';
import { test } from 'node:test';
import {
  compareReplays,
  type GreyPicture,
  Kernel,
  motionDetector,
  plainOpsFor,
  type RememberedFrame,
  replay,
  suggest,
  ViewWatch,
} from '../src/index.js';
import { watched } from './watched.js';

const [width, height] = [320, 180];
/** A room with edges: bricks of different greys. */
const room = (shift = 0): Uint8Array =>
  Uint8Array.from({ length: width * height }, (_, i) => {
    const [x, y] = [(i % width) + shift, Math.floor(i / width)];
    const brick = Math.floor(x / 23) * 7 + Math.floor(y / 17) * 13 + (x > 200 ? 40 : 0);
    return 60 + ((brick * 37) % 120);
  });

/** Shows pictures twice a second to a view, from `from` ms on, and says what changed. */
function look(parts: readonly (readonly [seconds: number, picture: Uint8Array])[]) {
  const kernel = new Kernel({ width, height, factor: 1 }, width * height, 14, plainOpsFor);
  const view = new ViewWatch();
  const said: string[] = [];
  let timeMs = 0;
  for (const [seconds, bytes] of parts) {
    for (let i = 0; i < seconds * 2; i++, timeMs += 500) {
      kernel.see({ width, height, bytes, timeMs }, 500);
      const change = view.see(kernel.memory, timeMs);
      if (change) said.push(`${change.trouble ?? 'well'} ${change.sinceMs / 1000}`);
    }
  }
  return said;
}
const dim = (bytes: Uint8Array, by: number) => bytes.map((level) => level * by);

test('a covered, a blinded and a turned camera are told, and that they see well again', () => {
  assert.deepEqual(
    look([
      [20, room()],
      [10, new Uint8Array(width * height).fill(15)],
      [10, room()],
    ]),
    ['covered 20', 'well 30'],
  );
  assert.deepEqual(
    look([
      [20, room()],
      [10, new Uint8Array(width * height).fill(255)],
      [10, room()],
    ]),
    ['blinded 20', 'well 30'],
  );
  assert.deepEqual(
    look([
      [20, room()],
      [10, room(11)],
      [10, room()],
    ]),
    ['moved 20', 'well 30'],
  );
});

test('a lamp that is switched, and a moth before the lens, are nothing', () => {
  assert.deepEqual(
    look([
      [20, room()],
      [20, dim(room(), 0.4)],
      [20, room()],
    ]),
    [],
  );
  assert.deepEqual(
    look([
      [20, room()],
      [2, new Uint8Array(width * height).fill(15)],
      [10, room()],
    ]),
    [],
  );
});

test('a picture out of focus is told', () => {
  const sharp = room();
  const blurred = sharp.map((_, i) => {
    let [sum, n] = [0, 0];
    for (let dy = -6; dy <= 6; dy += 2)
      for (let dx = -6; dx <= 6; dx += 2) {
        const k = i + dy * width + dx;
        if (k < 0 || k >= sharp.length) continue;
        sum += sharp[k];
        n++;
      }
    return sum / n;
  });
  assert.deepEqual(
    look([
      [20, sharp],
      [10, blurred],
    ]),
    ['blurred 20'],
  );
});

test('a view that stays changed is taken as the usual one after ten minutes', () => {
  assert.deepEqual(
    look([
      [20, room()],
      [620, room(11)],
    ]).map((one) => one.split(' ')[0]),
    ['moved', 'well'],
  );
});

/** A walker crosses for `n` pictures; what the detector said, and what was remembered. */
function remember() {
  const detector = motionDetector(watched);
  const frames: RememberedFrame[] = [];
  const began: number[] = [];
  for (let i = 0; i < 200; i++) {
    const bytes = room();
    if (i >= 100 && i < 130) for (let y = 80; y < 120; y++) bytes.fill(250, y * width + 20 + (i - 100) * 6, y * width + 36 + (i - 100) * 6);
    const picture: GreyPicture = { width, height, bytes, timeMs: i * 200 };
    const seen = detector.see(picture);
    for (const { change, firstMs } of seen.changes) if (change === 'began') began.push(firstMs);
    if (seen.blobs.length > 0)
      frames.push({ timeMs: i * 200, cells: width * height, dark: seen.dark, settling: seen.settling, blobs: seen.blobs });
  }
  return { frames, began };
}
const { frames, began } = remember();

test('a replay of what is remembered gives the events that there were', () => {
  const { events } = replay(frames, watched);
  assert.deepEqual(
    events.map(({ firstMs }) => firstMs),
    began,
  );
  assert.equal(began.length, 1);
});

test('other settings show what would come, stay and go', () => {
  const before = replay(frames, watched).events;
  const larger = replay(frames, { ...watched, smallest: 0.05 });
  assert.equal(larger.events.length, 0);
  assert.ok((larger.removed['too-small'] ?? 0) > 20);
  assert.deepEqual(compareReplays(before, larger.events).go.length, 1);
  assert.deepEqual(compareReplays(larger.events, before).come.length, 1);
  const away = replay(frames, {
    ...watched,
    ignored: [
      [
        [0, 0.3],
        [1, 0.3],
        [1, 0.8],
        [0, 0.8],
      ],
    ],
  });
  assert.equal(away.events.length, 0, 'an ignored area takes it away');
  const halves = replay(frames, {
    ...watched,
    zones: [
      {
        name: 'left',
        area: [
          [0, 0],
          [0.3, 0],
          [0.3, 1],
          [0, 1],
        ],
      },
      { name: 'right', area: { cells: ['...##', '...##'] } },
    ],
  });
  assert.deepEqual(
    halves.events.map(({ zone }) => zone),
    ['left', 'right'],
  );
});

test('a suggestion keeps an ordinary minute quiet and changes nothing of a quiet one', () => {
  const found = suggest(frames, watched);
  assert.equal(replay(frames, { ...watched, ...found }).events.length, 0);
  assert.deepEqual(suggest([], watched), {});
});

test('a light that falls on a wall is no event', () => {
  const detector = motionDetector({ ...watched, zones: [] });
  const verdicts = new Set<string>();
  for (let i = 0; i < 160; i++) {
    const bytes = room();
    if (i >= 120)
      for (let y = 0; y < height; y++)
        for (let x = 0; x < width; x++) {
          const far = Math.hypot(x - 160, y - 90) / 75;
          const light = 1 + Math.min(1, (i - 119) / 3) * 0.38 * Math.max(0, 1 - far * far);
          bytes[y * width + x] = Math.min(255, bytes[y * width + x] * light);
        }
    const look = detector.see({ width, height, bytes, timeMs: i * 200 });
    assert.deepEqual(look.changes, []);
    for (const { verdict, size } of look.blobs) if (i > 122 && size > 0.05) verdicts.add(verdict);
  }
  assert.ok(verdicts.has('light') && !verdicts.has('counted'), [...verdicts].join());
});
