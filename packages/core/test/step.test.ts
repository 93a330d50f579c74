import assert from 'node:assert/strict';
import { test } from 'node:test';
import { type SiteDocument, shapeDocument } from '@causalis/contract';
import {
  checkDocument,
  compileSite,
  diffDocuments,
  type Entry,
  type EventIn,
  emptyState,
  type NewDelivery,
  type Now,
  Overlay,
  type StepResult,
  step,
  type Timer,
} from '../src/index.js';

const base = {
  causalis: 1,
  site: { key: 'quillmere', name: 'Quillmere', timezone: 'Europe/Dublin', modes: ['closed', 'open'] },
  brokers: { house: { url: 'mqtt://127.0.0.1:1' } },
  members: {
    keeper: { name: 'Keeper', ways: { mail: 'keeper@quillmere.example', over: 'mail' } },
    second: { name: 'Second', ways: { mail: 'second@quillmere.example', over: 'mail' } },
  },
  schedules: { night: { week: { 'mon-sun': '18:00-08:00' } } },
  cameras: {
    gatehouse: {
      title: 'Gatehouse drive',
      feeds: { main: { kind: 'multipart', url: 'http://127.0.0.1:2/' } },
      marks: {
        drive: {
          zone: [
            [0, 0],
            [1, 0],
            [1, 1],
          ],
        },
      },
    },
  },
  hooks: { 'face-desk': {} },
  outputs: {
    mail: { kind: 'smtp', host: '127.0.0.1', from: 'causalis@quillmere.example' },
    desk: { kind: 'call', url: 'http://127.0.0.1:3/' },
    lamp: { kind: 'light', over: 'house', topic: 'lamp' },
  },
};

function documentWith(rule: object): SiteDocument {
  const shaped = shapeDocument({
    ...base,
    rules: { visitor: { title: 'Visitor', active: true, cause: { event: 'motion.began', at: 'gatehouse' }, ...rule } },
  });
  if ('findings' in shaped) throw new Error(JSON.stringify(shaped.findings));
  return shaped.document;
}

/** A site in memory: steps entries and keeps what they change. */
function siteOf(rule: object) {
  const document = documentWith(rule);
  const site = compileSite(document, (_, key) => key);
  const state = new Overlay(emptyState);
  let ids = 0;
  const clock: Now = { wall: Date.parse('2026-11-23T20:00:00Z'), steady: 0 };
  let now = clock;
  const take = (entry: Entry): StepResult => {
    const result = step(site, state, entry, now, () => `id-${++ids}`);
    for (const [name, value] of result.changes) state.set(name, value);
    return result;
  };
  return {
    document,
    take,
    state,
    after: (ms: number) => {
      now = { wall: now.wall + ms, steady: now.steady + ms };
    },
    motion: (more: Partial<EventIn> = {}) =>
      take({
        kind: 'event',
        event: {
          id: `id-${++ids}`,
          kind: 'motion.began',
          section: 'cameras',
          source: 'gatehouse',
          mark: 'drive',
          data: {},
          time: now.wall,
          seen: now.wall,
          depth: 0,
          test: false,
          still: 'still-1',
          ...more,
        },
      }),
    ended: (delivery: NewDelivery, state: 'delivered' | 'failed' = 'delivered', stills: string[] = []) =>
      take({
        kind: 'ended',
        delivery: {
          id: delivery.id,
          firing: delivery.firing,
          action: delivery.action,
          state,
          aside: delivery.back || delivery.again !== undefined,
          stills,
        },
      }),
    dueTimers: () =>
      [...state.changes]
        .filter(([name, value]) => name.startsWith('timer/') && value !== null && (value as Timer).due <= now.steady)
        .map(([name]) => name.slice(6)),
  };
}
const actions = (result: StepResult) => result.deliveries.map(({ action }) => action);
const verdict = (result: StepResult) => result.events[0].verdicts[0];

test('actions start together; one that needs another waits for it', () => {
  const site = siteOf({
    actions: {
      lamp: { set: 'lamp', to: { power: true }, for: '5m' },
      picture: { still: {} },
      message: { tell: ['keeper', 'second'], with: 'picture' },
      desk: { call: 'desk', needs: { action: 'message', for: '1m', else: 'skip' } },
    },
  });
  const fired = site.motion();
  assert.deepEqual(actions(fired), ['lamp', 'picture']);
  const message = site.ended(fired.deliveries[1], 'delivered', ['still-1']);
  assert.deepEqual(actions(message), ['message', 'message']);
  assert.deepEqual(message.deliveries[0].content.stills, ['still-1']);
  assert.deepEqual(actions(site.ended(message.deliveries[0])), [], 'one of two recipients is not enough');
  assert.deepEqual(actions(site.ended(message.deliveries[1])), ['desk']);
});

test('what was needed and failed is gone without, or skipped', () => {
  for (const [orElse, started] of [
    ['go', ['desk']],
    ['skip', []],
  ] as const) {
    const site = siteOf({
      actions: { picture: { still: {} }, desk: { call: 'desk', needs: { action: 'picture', for: '1m', else: orElse } } },
    });
    const fired = site.motion();
    const after = site.ended(fired.deliveries[0], 'failed');
    assert.deepEqual(actions(after), [...started]);
    if (orElse === 'skip') assert.equal(after.firings[0].actions[1].reason, 'needed-failed');
  }
});

test('a need that is not met in time is given up by its timer', () => {
  const site = siteOf({ actions: { picture: { still: {} }, desk: { call: 'desk', needs: { action: 'picture', for: '2s' } } } });
  site.motion();
  site.after(1_000);
  assert.deepEqual(site.dueTimers(), []);
  site.after(1_000);
  const [timer] = site.dueTimers();
  assert.deepEqual(actions(site.take({ kind: 'timer', id: timer })), ['desk']);
});

test('no order of ends changes what a firing comes to', () => {
  const rule = {
    actions: {
      picture: { still: {} },
      message: { tell: ['keeper', 'second'] },
      desk: {
        call: 'desk',
        needs: [
          { action: 'picture', for: '1m' },
          { action: 'message', for: '1m', else: 'skip' },
        ],
      },
    },
  };
  const orders = [
    [0, 1, 2],
    [0, 2, 1],
    [1, 0, 2],
    [1, 2, 0],
    [2, 0, 1],
    [2, 1, 0],
  ];
  const outcomes = orders.map((order) => {
    const site = siteOf(rule);
    const fired = site.motion();
    let last = fired;
    for (const at of order) last = site.ended(fired.deliveries[at], at === 1 ? 'failed' : 'delivered');
    return JSON.stringify(last.firings[0].actions.map(({ plan, state, succeeded, reason }) => [plan.name, state, succeeded, reason]));
  });
  assert.equal(new Set(outcomes).size, 1, outcomes.join('\n'));
});

test('a held event says by what, with the value that decided', () => {
  const site = siteOf({ guards: [{ mode: 'open' }, { schedule: 'night' }], actions: { desk: { call: 'desk' } } });
  const held = verdict(site.motion());
  assert.deepEqual(held.by, { kind: 'guard', index: 0 });
  assert.deepEqual(
    held.guards.map(({ holds, saw }) => [holds, saw]),
    [
      [false, 'closed'],
      [true, 'Mon 20:00'],
    ],
  );
  site.take({ kind: 'mode', mode: 'open', by: 'keeper' });
  assert.equal(verdict(site.motion()).verdict, 'fired');
});

test('order of judgement: off before late before guards before cooldown', () => {
  const late = { seen: Date.parse('2026-11-23T19:00:00Z') };
  assert.equal(verdict(siteOf({ active: false, guards: { mode: 'open' } }).motion(late)).by?.kind, 'inactive');
  assert.equal(verdict(siteOf({ guards: { mode: 'open' } }).motion(late)).by?.kind, 'late');
  assert.equal(verdict(siteOf({ guards: { mode: 'open' } }).motion({ depth: 4 })).by?.kind, 'circle');
});

test('a cooldown holds per key, and a held event does not lengthen it', () => {
  const site = siteOf({ cooldown: { for: '90s', per: 'mark' } });
  assert.equal(verdict(site.motion()).verdict, 'fired');
  site.after(89_000);
  const held = verdict(site.motion());
  assert.equal(held.by?.kind === 'cooldown' && held.by.leftMs, 1_000);
  assert.equal(verdict(site.motion({ mark: 'gate' })).verdict, 'fired', 'another mark is another key');
  site.after(1_000);
  assert.equal(verdict(site.motion()).verdict, 'fired');
});

test('a test neither starts nor heeds a cooldown, and its light goes back soon', () => {
  const site = siteOf({ cooldown: { for: '90s' }, actions: { lamp: { set: 'lamp', to: { power: true }, for: '5m' } } });
  const fired = site.motion({ test: true });
  assert.ok(fired.deliveries[0].test);
  assert.equal(verdict(site.motion()).verdict, 'fired');
  site.after(3_000);
  assert.equal(site.dueTimers().length, 1);
});

test('only what the pattern is about is considered', () => {
  const site = siteOf({ cause: { event: 'hook.called', at: 'face-desk', who: 'Head gardener', sure: 0.8 } });
  const call = (data: EventIn['data']) =>
    site.motion({ kind: 'hook.called', section: 'hooks', source: 'face-desk', data }).events[0].verdicts.length;
  assert.equal(call({ who: 'Head gardener', sure: 0.9 }), 1);
  assert.equal(call({ who: 'Head gardener', sure: 0.7 }), 0);
  assert.equal(call({ who: 'Somebody', sure: 0.9 }), 0);
  assert.equal(site.motion().events[0].verdicts.length, 0);
});

test('the same entries give the same results', () => {
  const run = () => {
    const site = siteOf({
      cooldown: { for: '1s' },
      actions: {
        lamp: { set: 'lamp', to: { power: true }, for: '5s' },
        message: { tell: 'keeper', words: '{label} on the {mark} of {camera}' },
      },
    });
    return JSON.stringify(
      [site.motion(), site.motion(), site.take({ kind: 'mode', mode: 'open', by: 'x' })].map(({ events, firings, deliveries }) => ({
        events,
        firings,
        deliveries,
      })),
    );
  };
  assert.equal(run(), run());
  assert.match(run(), /something on the drive of Gatehouse drive/);
});

test('a cooldown begins afresh when its rule’s cause or cooldown has changed, and only then', () => {
  const cause = { event: 'hook.called', at: 'face-desk' };
  const before = documentWith({ cause, cooldown: { for: '90s' } });
  const after = documentWith({ cause, cooldown: { for: '60s' }, title: 'Other' });
  assert.deepEqual(diffDocuments(before, after), {
    added: [],
    changed: [{ path: 'rules/visitor', fields: ['title', 'cooldown'] }],
    removed: [],
    renamed: [],
    afresh: ['visitor'],
    newAddresses: [],
    watching: [],
  });
  const idOf = (document: SiteDocument) => compileSite(document, (_, key) => key).rulesFor('hook.called', 'face-desk')[0].stateId;
  assert.notEqual(idOf(before), idOf(after));
  assert.equal(idOf(before), idOf(documentWith({ cause, cooldown: { for: '90s' }, title: 'Other', guards: { mode: 'open' } })));
  assert.equal(diffDocuments(undefined, before).added.length, 11);
});

test('the check names each thing that cannot be, with its place', () => {
  const document = documentWith({
    cause: { event: 'motion.began', at: 'gatehose', mark: 'dirve', who: 'x' },
    guards: [{ schedule: 'nihgt' }, { mode: 'closd' }],
    actions: {
      a: { tell: 'keper', with: 'b', words: '{nothing}' },
      b: { call: 'mail', needs: { action: 'a', for: '1s' } },
      c: { set: 'lamp', to: { power: true } },
      d: { set: 'lamp', to: { power: false } },
    },
  });
  const found = checkDocument(document)
    .filter(({ level }) => level !== 'hint')
    .map(({ code, path, values }) => `${code} ${path.slice(2).join('/')}${values.near ? ` ${values.near}` : ''}`);
  assert.deepEqual(
    found.sort(),
    [
      'cause-cannot-know cause/who',
      'needs-in-circle actions/a/needs',
      'two-values actions/d/set',
      'unknown-field actions/a/words',
      'unknown-name actions/a/tell keeper',
      'unknown-name actions/b/call',
      'unknown-name cause/at gatehouse',
      'unknown-name guards/0/schedule night',
      'unknown-name guards/1/mode closed',
      'with-no-picture actions/a/with',
    ].sort(),
  );
});

test('names that somebody makes up fill no memory: the oldest cooldowns go, and an event says so', () => {
  const site = siteOf({ cause: { event: 'motion.began', at: 'gatehouse' }, cooldown: { for: '1h', per: 'who' } });
  const told: StepResult['events'][number][] = [];
  const cooling = () => [...site.state.entries('cooldown/')].length;
  for (let n = 0; n < 12_000; n++) {
    const { events } = site.motion({ data: { who: `random ${n}` } });
    told.push(...events.filter(({ event }) => event.kind === 'rule.crowded'));
    site.after(1);
  }
  assert.ok(cooling() <= 10_000, `${cooling()} are kept`);
  assert.ok(told.length >= 1 && told.every(({ event }) => event.data.rule === 'Visitor' && (event.data.count ?? 0) > 0));
  assert.equal(site.motion({ data: { who: 'random 11999' } }).events[0].verdicts[0].verdict, 'held', 'the newest still hold');

  // What is over goes without a word.
  const before = told.length;
  site.after(2 * 3_600_000);
  for (let n = 0; n < 2_000; n++) {
    const { events } = site.motion({ data: { who: `later ${n}` } });
    told.push(...events.filter(({ event }) => event.kind === 'rule.crowded'));
  }
  assert.equal(told.length, before);
  assert.ok(cooling() < 10_000);
});
