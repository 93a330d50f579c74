import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { Position } from '@causalis/contract';
import { motionSettings, objectSettings } from '@causalis/core';
import jpeg from '@julusian/jpeg-turbo';
import type { FromWatcher, WatchedRecogniser } from '../src/intake/watcher/messages.js';
import { CameraObjects } from '../src/intake/watcher/objects.js';
import { type Recognised, type RecogniserAnswer, RecogniserLine } from '../src/intake/watcher/recogniser.js';

// What is done with a recogniser's answers, whenever they come and whatever they are. The line to it is held in the hand.
const picture = jpeg.compressSync(Buffer.alloc(64 * 48 * 3, 120), { format: jpeg.FORMAT_RGB, width: 64, height: 48 });
const recogniser: WatchedRecogniser = { key: 'bench', url: 'http://127.0.0.1:9/', everyMs: 500, when: 'motion', sure: {}, most: 3 };

/** Answers when it is told to, in whatever order. */
class HeldLine extends RecogniserLine {
  readonly asked: ((answer: RecogniserAnswer) => void)[] = [];
  private taken = 0;

  override isFree(most: number): boolean {
    return this.taken < most;
  }

  override ask(): Promise<RecogniserAnswer> {
    this.taken++;
    return new Promise((resolve) => {
      this.asked.push((answer) => {
        this.taken--;
        resolve(answer);
      });
    });
  }
}

function watchedDoor() {
  const hall: Position[] = [
    [0, 0.4],
    [1, 0.4],
    [1, 1],
    [0, 1],
  ];
  const camera = { marks: { hall: { zone: hall } }, watching: {} };
  const line = new HeldLine();
  const said: FromWatcher[] = [];
  const states: string[] = [];
  const end = new AbortController();
  const objects: CameraObjects = new CameraObjects(
    {
      key: 'palm-house',
      main: { missing: 'no-secret' },
      motion: motionSettings(camera),
      objects: objectSettings(camera),
      hidden: [],
      recogniser,
    },
    {
      send: (message) => said.push(message),
      line: () => line,
      wallOf: (at) => at,
      picture: () => undefined,
      recogniserChanged: () => states.push(objects.recogniser?.state ?? ''),
      ended: end.signal,
    },
  );
  const answer = async (i: number, one: RecogniserAnswer) => {
    line.asked[i](one);
    await new Promise((resolve) => setImmediate(resolve));
  };
  return { objects, line, said, states, end, answer };
}
const person = (x: number): Recognised => ({ label: 'person', sure: 0.9, verdict: 'counted', box: [x, 0.4, 0.1, 0.3] });
const seen = (...people: Recognised[]): RecogniserAnswer => ({ ok: true, objects: people, slow: false });
const failed: RecogniserAnswer = { ok: false, reason: 'status 503' };
const told = (said: readonly FromWatcher[], change: string) => said.filter((one) => one.kind === 'object' && one.change === change);

test('it is asked at its pace, while something moves, and never more than it can take', () => {
  const { objects, line } = watchedDoor();
  objects.recognise(picture, 10_000, 10_000);
  objects.recognise(picture, 10_200, 10_200);
  assert.equal(line.asked.length, 1, 'not before its time has come');
  for (const at of [10_500, 11_000, 11_500]) objects.recognise(picture, at, at);
  assert.equal(line.asked.length, 3, 'no more than three at a time');
  const still = watchedDoor();
  still.objects.recognise(picture, 60_000, 50_000);
  assert.equal(still.line.asked.length, 0, 'nothing has moved for long');
});

test('an answer that others have overtaken is left out, and nothing goes back in time', async () => {
  const { objects, said, answer } = watchedDoor();
  for (const at of [10_000, 10_500, 11_000]) objects.recognise(picture, at, at);
  await answer(0, seen(person(0.2)));
  await answer(2, seen(person(0.3)));
  const [known] = objects.recognised;
  await answer(1, seen(person(0.7), person(0.1)));
  assert.deepEqual(objects.recognised, [known], 'what is shown is of the newest picture');
  for (const at of [11_500, 12_000]) objects.recognise(picture, at, at);
  await answer(3, seen(person(0.35)));
  await answer(4, seen(person(0.4)));
  assert.equal(told(said, 'appeared').length, 1, 'one who walks is one');
  assert.equal(told(said, 'entered').length, 1);
});

test('it fails when it has failed three times in a row, is slow when it is, and works again', async () => {
  const { objects, said, states, answer } = watchedDoor();
  let at = 10_000;
  let asked = 0;
  const then = async (one: RecogniserAnswer) => {
    at += 500;
    objects.recognise(picture, at, at);
    await answer(asked++, one);
  };
  await then(seen());
  await then(failed);
  await then(failed);
  assert.deepEqual(states, ['working'], 'twice may happen');
  await then(failed);
  assert.deepEqual(objects.recogniser, { state: 'failing', reason: 'status 503' });
  await then({ ok: true, objects: [], slow: true });
  await then(seen());
  assert.deepEqual(states, ['working', 'failing', 'slow', 'working']);
  assert.equal(said.filter(({ kind }) => kind === 'recogniser').length, asked, 'each answer is told, for the site to weigh');
});

test('who is followed has left when nothing moves any more or the head turns, and nobody is told of after the end', async () => {
  const { objects, said, end, answer } = watchedDoor();
  let at = 10_000;
  for (let i = 0; i < 4; i++, at += 500) {
    objects.recognise(picture, at, at);
    await answer(i, seen(person(0.3 + i * 0.01)));
  }
  assert.equal(told(said, 'entered').length, 1);
  objects.recognise(picture, at + 8_000, at);
  assert.deepEqual([told(said, 'left').length, objects.recognised.length], [1, 0]);
  at += 9_000;
  for (let i = 4; i < 8; i++, at += 500) {
    objects.recognise(picture, at, at);
    await answer(i, seen(person(0.5)));
  }
  objects.headMoves([], at);
  assert.equal(told(said, 'left').length, 2, 'the view is another');
  objects.recognise(picture, at, at);
  const before = said.length;
  end.abort();
  await answer(8, seen(person(0.5)));
  assert.equal(said.length, before);
});
