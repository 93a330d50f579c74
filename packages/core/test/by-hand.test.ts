import assert from 'node:assert/strict';
import { test } from 'node:test';
import { shapeDocument } from '@causalis/contract';
import {
  byHand,
  compileSite,
  diffDocuments,
  type Entry,
  emptyState,
  type OpenFiring,
  Overlay,
  renamesOf,
  stateKeys,
  step,
  trialEvent,
  watchingInForce,
  withoutFormerKeys,
} from '../src/index.js';

const base = {
  causalis: 1,
  site: { key: 'quillmere', name: 'Quillmere', timezone: 'Europe/Dublin', modes: ['closed', 'open'] },
  brokers: { house: { url: 'mqtt://127.0.0.1:1' } },
  members: { keeper: { name: 'Keeper', ways: { mail: 'keeper@quillmere.example', over: 'mail' } } },
  groups: { perimeter: { watching: { difference: 20, threshold: '1%' } } },
  cameras: {
    gatehouse: {
      title: 'Gatehouse',
      group: 'perimeter',
      feeds: { main: { kind: 'multipart', url: 'http://127.0.0.1:2/' } },
      watching: { threshold: '2%' },
    },
    pond: { title: 'Pond', group: 'perimeter', feeds: { main: { kind: 'multipart', url: 'http://127.0.0.1:2/' } } },
    shelf: { title: 'Shelf', feeds: { main: { kind: 'multipart', url: 'http://127.0.0.1:2/' } } },
  },
  outputs: {
    mail: { kind: 'smtp', host: '127.0.0.1', from: 'causalis@quillmere.example' },
    lamp: { kind: 'light', over: 'house', topic: 'lamp' },
  },
  rules: {
    visitor: {
      title: 'Visitor',
      cause: { event: 'motion.began', at: { group: 'perimeter' }, mark: 'drive' },
      guards: { mode: 'open' },
      cooldown: { for: '1h' },
      actions: {
        lamp: { set: 'lamp', to: { power: true }, for: '5m' },
        message: { tell: 'keeper', words: '{mark} of {camera}', needs: [{ action: 'lamp', for: '5s' }] },
      },
    },
  },
};

function shaped(more: object = {}) {
  const read = shapeDocument({ ...base, ...more });
  if ('findings' in read) throw new Error(JSON.stringify(read.findings));
  return read.document;
}

function siteAtWork() {
  const site = compileSite(shaped(), (_, key) => key);
  const state = new Overlay(emptyState);
  const now = { wall: 1_795_000_000_000, steady: 1_000_000 };
  let ids = 0;
  return {
    site,
    state,
    now,
    take(entry: Entry) {
      const result = step(site, state, entry, now, () => `i${++ids}`);
      for (const [name, value] of result.changes) state.set(name, value);
      return result;
    },
    trial(regardless: boolean) {
      const event = trialEvent({ site, now }, 'visitor', `e${++ids}`, 'somebody');
      assert.ok(event);
      return this.take({ kind: 'try', rule: 'visitor', event, regardless });
    },
  };
}

test('a trial is held by its guards, and fires when they are told to stand aside', () => {
  const at = siteAtWork();
  const held = at.trial(false);
  assert.deepEqual(held.events[0].verdicts[0].by, { kind: 'guard', index: 0 });
  assert.equal(held.deliveries.length, 0);
  const fired = at.trial(true);
  assert.equal(fired.events[0].verdicts[0].verdict, 'fired');
  assert.deepEqual(
    [fired.events[0].event.kind, fired.events[0].event.source, fired.events[0].event.mark],
    ['rule.tried', 'gatehouse', 'drive'],
  );
  assert.ok(fired.deliveries.every(({ test: marked }) => marked));
});

test('a trial starts no cooldown, and a light that was only tried goes back after three seconds', () => {
  const at = siteAtWork();
  at.trial(true);
  const again = at.trial(true);
  assert.equal(again.events[0].verdicts[0].verdict, 'fired');
  assert.deepEqual([...at.state.entries('cooldown/')], []);
  const claims = at.state.get(stateKeys.output('lamp'))?.claims ?? [];
  assert.ok(claims.length > 0 && claims.every(({ until }) => until <= at.now.steady + 3_000));
});

test('a failed action that is tried again by hand succeeds when it arrives', () => {
  const at = siteAtWork();
  const fired = at.trial(true);
  const [lamp] = fired.deliveries;
  const end = (id: string, action: string, state: 'delivered' | 'failed') =>
    at.take({ kind: 'ended', delivery: { id, firing: lamp.firing, action, state, aside: false, stills: [] } });
  const [message] = end(lamp.id, 'lamp', 'delivered').deliveries;
  const over = end(message.id, 'message', 'failed').firings[0] as OpenFiring;
  assert.equal(over.actions[1].succeeded, false);
  assert.equal(at.state.get(stateKeys.firing(lamp.firing)), undefined);
  const opened = at.take({ kind: 'retry', delivery: { id: message.id, action: 'message', aside: false }, firing: over });
  assert.equal(opened.firings[0].actions[1].state, 'started');
  const ended = end(message.id, 'message', 'delivered').firings[0];
  assert.deepEqual([ended.actions[1].state, ended.actions[1].succeeded], ['ended', true]);
});

test('what is sent again has its own id, knows the old one, and leaves its firing alone', () => {
  const at = siteAtWork();
  const [old] = at.trial(true).deliveries;
  const { deliveries, firings } = at.take({ kind: 'again', delivery: old });
  assert.deepEqual([deliveries[0].again, deliveries[0].content, firings.length], [old.id, old.content, 0]);
  assert.notEqual(deliveries[0].id, old.id);
});

test('a hand has an output do one thing, without a rule', () => {
  const at = siteAtWork();
  const event = {
    id: 'e',
    kind: 'output.tried' as const,
    section: 'outputs' as const,
    source: 'mail',
    data: { by: 'somebody' },
    time: 0,
    seen: 0,
    depth: 0,
    test: true,
  };
  const { deliveries, firings } = at.take({
    kind: 'hand',
    output: 'mail',
    event,
    title: 'Test of mail',
    priority: 'important',
    recipient: 'x@quillmere.example',
    words: 'Test',
  });
  assert.deepEqual(
    [deliveries[0].rule, deliveries[0].recipient, deliveries[0].content.once, firings[0].title],
    [byHand, 'x@quillmere.example', true, 'Test of mail'],
  );
});

test('an output that gets another key keeps its claims, its timers and what still waits for it', () => {
  const at = siteAtWork();
  at.trial(true);
  at.take({ kind: 'revision', revision: 2, renamed: { lamp: 'floods' } });
  assert.equal(at.state.get(stateKeys.output('lamp')), undefined);
  assert.equal(at.state.get(stateKeys.output('floods'))?.claims.length, 1);
  const timers = [...at.state.entries('timer/')].map(([, timer]) => (timer as { for: { output?: string } }).for.output);
  assert.ok(timers.includes('floods') && !timers.includes('lamp'));
});

test('a rename is one where the old key was given up; anything else is a new item', () => {
  const before = shaped();
  const { visitor } = base.rules;
  const renamed = shaped({ rules: { caller: { ...visitor, was: 'visitor' } } });
  assert.deepEqual(renamesOf(before, renamed), [{ section: 'rules', from: 'visitor', to: 'caller' }]);
  assert.equal('was' in withoutFormerKeys(renamed).rules.caller, false);
  const diff = diffDocuments(before, renamed);
  assert.deepEqual([diff.added, diff.changed, diff.removed, diff.afresh], [[], [], [], []]);
  const kept = shaped({ rules: { visitor, caller: { ...visitor, was: 'visitor' } } });
  assert.deepEqual(renamesOf(before, kept), []);
  assert.deepEqual(renamesOf(withoutFormerKeys(renamed), renamed), [], 'once done it has no effect');
});

test('a value in force says whether it is the camera’s, its group’s or nobody’s', () => {
  const of = (camera: string, name: string) => {
    const found = watchingInForce(shaped(), camera).find((one) => one.name === name);
    return [found?.value, found?.from];
  };
  assert.deepEqual(of('gatehouse', 'threshold'), ['2%', 'camera']);
  assert.deepEqual(of('gatehouse', 'difference'), ['20', 'group']);
  assert.deepEqual(of('gatehouse', 'quiet'), ['6s', 'default']);
  assert.deepEqual(of('shelf', 'difference'), ['14', 'default']);
});

test('a cause at a group is a cause at each of its cameras, and at no other', () => {
  const { site } = siteAtWork();
  assert.deepEqual(
    ['gatehouse', 'pond', 'shelf'].map((camera) => site.rulesFor('motion.began', camera).length),
    [1, 1, 0],
  );
});
