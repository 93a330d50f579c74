import assert from 'node:assert/strict';
import { test } from 'node:test';
import { spread } from '../src/intake/spread.js';

const names = (n: number) => Array.from({ length: n }, (_, i) => `camera-${i}`);
const loads = (spreadOut: ReadonlyMap<string, number>) => {
  const counts: number[] = [];
  for (const at of spreadOut.values()) counts[at] = (counts[at] ?? 0) + 1;
  return Array.from(counts, (count) => count ?? 0);
};

test('cameras are spread evenly over as many processes as there are processors', () => {
  assert.deepEqual(loads(spread([], new Map(), 4)), []);
  assert.deepEqual(loads(spread(names(6), new Map(), 4)), [6]);
  assert.deepEqual(loads(spread(names(40), new Map(), 2)), [20, 20]);
  assert.deepEqual(loads(spread(names(40), new Map(), 16)), [8, 8, 8, 8, 8]);
  assert.deepEqual(loads(spread(names(500), new Map(), 4)).length, 16, 'never more than 32 in one');
});

test('who is watched stays where it is, whoever comes and goes', () => {
  const before = spread(names(40), new Map(), 2);
  const after = spread(['new-one', ...names(40).slice(3), 'another'], before, 2);
  for (const camera of names(40).slice(3)) assert.equal(after.get(camera), before.get(camera), camera);
  assert.deepEqual(loads(after), [20, 19]);
  assert.deepEqual(loads(spread(['camera-1'], before, 2)), [0, 1], 'the first process is kept while the second one is at work');
  assert.deepEqual(loads(spread(['camera-0'], before, 2)), [1]);
});
