import assert from 'node:assert/strict';
import { test } from 'node:test';
import {
  afterAttempt,
  type Claim,
  claimOutput,
  endClaims,
  type OutputState,
  pauseAfter,
  readBackOutput,
  retryPolicies,
  setOutput,
  showing,
  untouched,
} from '../src/index.js';

const on = { power: true };
const off = { power: false };
const claim = (
  firing: string,
  until: number,
  value: { power: boolean; level?: number } = on,
  priority: Claim['priority'] = 'routine',
): Claim => ({ origin: undefined, firing, action: 'a', value, priority, until });

test('two overlapping claims leave a light as it was before the first', () => {
  const first = claimOutput(untouched as OutputState, claim('1', 100), off, 0);
  assert.deepEqual(first.send, on);
  const second = claimOutput(first.state, claim('2', 150), off, 50);
  const one = endClaims(second.state, 100);
  assert.equal(one.send, undefined, 'it stays on for the second');
  const two = endClaims(one.state, 150);
  assert.deepEqual(two.send, off);
  assert.equal(two.state.claims.length, 0);
});

test('a light that was set back and has not said so yet is not taken for one that is on', () => {
  const lit = readBackOutput(claimOutput(untouched as OutputState, claim('1', 100), off, 0).state, on, 10).state;
  const back = endClaims(lit, 100).state;
  const again = claimOutput(back, claim('2', 200), off, 110).state;
  assert.deepEqual(endClaims(again, 200).send, off);
});

test('a light that was on before stays on afterwards', () => {
  const told = readBackOutput(untouched as OutputState, on, 0).state;
  const claimed = claimOutput(told, claim('1', 100), off, 10);
  assert.equal(endClaims(claimed.state, 100).send, undefined);
});

test('the newest claim of the highest priority shows', () => {
  const urgent = claimOutput(untouched as OutputState, claim('1', 100, on, 'urgent'), off, 0);
  const lesser = claimOutput(urgent.state, claim('2', 300, { power: true, level: 0.2 }), off, 10);
  assert.equal(lesser.send, undefined);
  assert.equal(showing(lesser.state.claims)?.firing, '1');
  assert.deepEqual(endClaims(lesser.state, 100).send, { power: true, level: 0.2 });
});

test('another hand ends all claims, and nothing goes back', () => {
  const claimed = claimOutput(untouched as OutputState, claim('1', 60_000), off, 0);
  const receipt = readBackOutput(claimed.state, on, 100);
  assert.equal(receipt.meaning, 'receipt');
  assert.equal(readBackOutput(receipt.state, on, 200).meaning, 'nothing', 'the same told again is no second receipt');
  const hand = readBackOutput(receipt.state, off, 20_000);
  assert.equal(hand.meaning, 'hand');
  assert.equal(endClaims(hand.state, 60_000).send, undefined);
});

test('what a device told before our command and we hear after it is no other hand', () => {
  const claimed = claimOutput(untouched as OutputState, claim('a', 60_000), off, 0);
  const old = readBackOutput(claimed.state, off, 40);
  assert.deepEqual([old.meaning, old.state.claims.length], ['nothing', 1]);
  assert.equal(readBackOutput(old.state, on, 80).meaning, 'receipt');
  assert.equal(readBackOutput(claimed.state, off, 6_000).meaning, 'hand', 'a device that never confirms was switched by somebody');
});

test('a read-back of what was set a moment ago is no other hand', () => {
  const first = claimOutput(untouched as OutputState, claim('1', 1_000), off, 0);
  const back = endClaims(first.state, 1_000);
  assert.equal(readBackOutput(back.state, on, 1_100).meaning, 'nothing');
});

test('a value set for good is what remains', () => {
  const claimed = claimOutput(untouched as OutputState, claim('1', 100, on, 'urgent'), off, 0);
  const set = setOutput(claimed.state, { power: true, level: 0.5 }, 'routine', 10);
  assert.equal(set.send, undefined);
  assert.deepEqual(endClaims(set.state, 100).send, { power: true, level: 0.5 });
});

test('claims always end where they began, in any order', () => {
  let seed = 7;
  const next = (n: number) => {
    seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648;
    return seed % n;
  };
  for (let run = 0; run < 300; run++) {
    const began = next(2) === 1;
    let state = readBackOutput(untouched as OutputState, { power: began }, 0).state;
    let shown = { power: began } as { power: boolean };
    let now = 10_000;
    for (let i = 0; i < 8; i++) {
      now += next(500);
      const ended = endClaims(state, now);
      shown = ended.send ?? shown;
      const claimed = claimOutput(
        ended.state,
        claim(String(i), now + 1 + next(3_000), { power: next(2) === 1 }, (['routine', 'important', 'urgent'] as const)[next(3)]),
        off,
        now,
      );
      shown = claimed.send ?? shown;
      state = claimed.state;
    }
    for (; state.claims.length > 0; now += 100) {
      const ended = endClaims(state, now);
      shown = ended.send ?? shown;
      state = ended.state;
    }
    assert.equal(shown.power, began);
  }
});

test('pauses grow from the attempt’s number and stay below their most', () => {
  const policy = retryPolicies.tell;
  assert.deepEqual(
    [1, 2, 3].map((n) => pauseAfter(policy, n, 0)),
    [2_000, 4_000, 8_000],
  );
  assert.equal(pauseAfter(policy, 40, 0), policy.mostMs);
  assert.equal(pauseAfter(policy, 1, 1), 2_400);
});

test('an attempt ends a delivery, or names when it is tried again', () => {
  const policy = retryPolicies.call;
  const times = { expires: 10_000, now: 1_000 };
  assert.deepEqual(afterAttempt(policy, { number: 1, outcome: { ok: true } }, times, 0), { state: 'delivered' });
  assert.deepEqual(afterAttempt(policy, { number: 1, outcome: { ok: false, again: false } }, times, 0), { state: 'failed' });
  assert.deepEqual(afterAttempt(policy, { number: 1, outcome: { ok: false, again: true } }, times, 0), { state: 'retrying', due: 2_000 });
  assert.deepEqual(afterAttempt(policy, { number: 9, outcome: { ok: false, again: true } }, times, 0), { state: 'retrying', due: 10_000 });
  assert.deepEqual(afterAttempt(policy, { number: 9, outcome: { ok: false, again: true } }, { expires: 10_000, now: 10_000 }, 0), {
    state: 'expired',
  });
});
