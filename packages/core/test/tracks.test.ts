import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { Box } from '@causalis/contract';
import fc from 'fast-check';
import { Tracker } from '../src/index.js';
import { assign } from '../src/vision/assignment.js';

/** The least that any assignment costs, by trying all. */
function leastCost(cost: readonly (readonly number[])[]): number {
  const [first, ...rest] = cost;
  if (first === undefined) return 0;
  return Math.min(
    ...first.map((price, column) => price + leastCost(rest.map((row) => row.map((value, i) => (i === column ? 1e6 : value))))),
  );
}

test('no other assignment is cheaper', () => {
  fc.assert(
    fc.property(
      fc
        .integer({ min: 1, max: 5 })
        .chain((n) => fc.array(fc.array(fc.integer({ min: 0, max: 99 }), { minLength: n, maxLength: n }), { minLength: n, maxLength: n })),
      (cost) => {
        const chosen = assign(cost);
        assert.equal(new Set(chosen).size, cost.length, 'each row has a column of its own');
        assert.equal(
          chosen.reduce((sum, column, row) => sum + cost[row][column], 0),
          leastCost(cost),
        );
      },
    ),
  );
});

test('what may not be is never assigned', () => {
  const no = Number.POSITIVE_INFINITY;
  assert.deepEqual(
    assign([
      [no, 1, 5],
      [no, 2, no],
    ]),
    [2, 1],
  );
  assert.deepEqual(assign([[no], [3]]), [-1, 0]);
  assert.deepEqual(assign([[], []]), [-1, -1]);
});

const person = (x: number, y = 0.4): Box => [x, y, 0.05, 0.2];

test('two people who pass each other stay two, each on their way', () => {
  const tracker = new Tracker({ forgetMs: 1_000, reach: 1.5 });
  const ids: number[][] = [];
  for (let i = 0; i < 20; i++) {
    const boxes = [person(0.1 + i * 0.03, 0.4), person(0.7 - i * 0.03, 0.43)];
    const { of } = tracker.see(
      boxes.map((box) => ({ box })),
      i * 200,
    );
    ids.push(of.map(({ id }) => id));
  }
  assert.ok(
    ids.every(([a, b]) => a === ids[0][0] && b === ids[0][1]),
    JSON.stringify(ids),
  );
});

test('a track outlives a short absence and dies of a long one', () => {
  const tracker = new Tracker({ forgetMs: 1_000, reach: 1.5 });
  tracker.see([{ box: person(0.1) }], 0);
  tracker.see([{ box: person(0.13) }], 200);
  tracker.see([], 400);
  assert.equal(tracker.see([{ box: person(0.19) }], 600).of[0].id, 1);
  const { ended } = tracker.see([], 1_800);
  assert.deepEqual(
    ended.map(({ id }) => id),
    [1],
  );
});

test('a label is what was said most surely and most often', () => {
  const tracker = new Tracker({ forgetMs: 1_000, reach: 1.5 });
  for (const [i, label] of ['person', 'animal', 'person', 'person'].entries())
    tracker.see([{ box: person(0.1 + i * 0.01), label, sure: 0.7 }], i * 200);
  assert.deepEqual(
    tracker.tracks.map(({ label, seen }) => [label, seen]),
    [['person', 4]],
  );
});
