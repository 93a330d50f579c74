import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { Box, Camera, SiteDocument } from '@causalis/contract';
import {
  compileSite,
  countersOf,
  countsNow,
  type EventIn,
  emptyState,
  isInside,
  motionSettings,
  ObjectWatch,
  Overlay,
  objectSettings,
  readCounter,
  step,
  Tracker,
  watchingChanges,
  watchingInForce,
  zoneOf,
} from '../src/index.js';

const camera = (marks: Camera['marks'], watching: Camera['watching'] = {}): Camera => ({
  reports: [],
  tours: {},
  title: 'Palm house',
  feeds: { main: { kind: 'still', url: 'http://127.0.0.1/' } },
  marks,
  watching,
});
/** A person whose feet are at a place. */
const standing = (x: number, y: number): Box => [x - 0.03, y - 0.25, 0.06, 0.25];

/** Follows one person along their feet, a picture each 200 ms, and says what they did. */
function walk(marks: Camera['marks'], feet: readonly (readonly [number, number])[], label?: string) {
  const tracker = new Tracker({ forgetMs: 1_000, reach: 1.5 });
  const watch = new ObjectWatch(objectSettings(camera(marks)));
  const changes = feet.flatMap(([x, y], i) => {
    const { of, ended } = tracker.see([{ box: standing(x, y), ...(label ? { label, sure: 0.9 } : {}) }], i * 200);
    return watch.see(of, ended, i * 200);
  });
  const { ended } = tracker.see([], feet.length * 200 + 5_000);
  return [...changes, ...watch.see([], ended, feet.length * 200 + 5_000)];
}
const along = (from: readonly [number, number], to: readonly [number, number], n = 25) =>
  Array.from({ length: n }, (_, i) => [from[0] + ((to[0] - from[0]) * i) / (n - 1), from[1] + ((to[1] - from[1]) * i) / (n - 1)] as const);

const door: Camera['marks'] = {
  door: {
    line: [
      [0.7, 0.6],
      [0.3, 0.6],
    ],
    in: 'left',
    counter: { label: ['person'], thresholds: { inside: 2 }, reset: '18:00' },
  },
};

test('who walks in over a line is in, who walks out is out, and a turned line is the other way round', () => {
  const crossed = (marks: Camera['marks'], way: readonly (readonly [number, number])[]) =>
    walk(marks, way).flatMap(({ kind, direction }) => (kind === 'crossed' ? [direction] : []));
  // Walking the line from right to left, what is nearer to the camera lies to the left.
  assert.deepEqual(crossed(door, along([0.5, 0.4], [0.5, 0.9])), ['in']);
  assert.deepEqual(crossed(door, along([0.5, 0.9], [0.5, 0.4])), ['out']);
  const turned = { door: { ...door.door, in: 'right' as const } };
  assert.deepEqual(crossed(turned, along([0.5, 0.4], [0.5, 0.9])), ['out']);
});

test('who passes beside a line, or dithers on it, does not cross it', () => {
  const kinds = (way: readonly (readonly [number, number])[]) => walk(door, way).filter(({ kind }) => kind === 'crossed').length;
  assert.equal(kinds(along([0.9, 0.3], [0.9, 0.95])), 0, 'beside it');
  const dithers = Array.from({ length: 40 }, (_, i) => [0.5, 0.6 + (i % 2 === 0 ? 0.012 : -0.012)] as const);
  assert.equal(
    kinds([...along([0.5, 0.4], [0.5, 0.58], 10), ...dithers, ...along([0.5, 0.58], [0.5, 0.4], 10)]),
    0,
    'dithers and goes back',
  );
  assert.equal(kinds([...along([0.5, 0.4], [0.5, 0.59], 10), ...dithers, ...along([0.5, 0.62], [0.5, 0.9], 12)]), 1, 'dithers and goes on');
});

test('whoever is seen without their legs for a while has not walked back over a line', () => {
  const tracker = new Tracker({ forgetMs: 1_000, reach: 1.5 });
  const watch = new ObjectWatch(objectSettings(camera(door)));
  const way = along([0.5, 0.4], [0.5, 0.9], 40);
  for (const [from, to] of [
    [18, 22],
    [18, 34],
    [4, 12],
  ]) {
    const crossed = way.flatMap(([x, y], i) => {
      const [left, top, wide, high] = standing(x, y);
      const box: Box = i >= from && i < to ? [left, top, wide, high * 0.45] : [left, top, wide, high];
      const { of, ended } = tracker.see([{ box }], i * 200);
      return watch.see(of, ended, i * 200).filter(({ kind }) => kind === 'crossed');
    });
    assert.deepEqual(
      crossed.map(({ direction }) => direction),
      ['in'],
      `legs lost from ${from} to ${to}`,
    );
    watch.see([], tracker.reset(), 40 * 200);
  }
});

test('entering, lingering and leaving a zone are told once each, with how long', () => {
  const zone: Camera['marks'] = {
    hall: {
      zone: [
        [0.4, 0],
        [0.8, 0],
        [0.8, 1],
        [0.4, 1],
      ],
      lingers: '2s',
    },
  };
  const stays = [
    ...along([0.1, 0.6], [0.5, 0.6], 15),
    ...Array.from({ length: 15 }, () => [0.5, 0.6] as const),
    ...along([0.5, 0.6], [0.95, 0.6], 15),
  ];
  const changes = walk(zone, stays, 'person');
  assert.deepEqual(
    changes.map(({ kind, label }) => `${kind} ${label}`),
    ['appeared person', 'entered person', 'lingered person', 'left person'],
  );
  const left = changes.at(-1);
  assert.ok(left?.lastedMs && left.lastedMs > 3_000 && left.lastedMs < 6_500, String(left?.lastedMs));
});

test('who vanishes in a zone has left it', () => {
  const zone: Camera['marks'] = { hall: { zone: { cells: ['.#', '.#'] } } };
  assert.deepEqual(
    walk(zone, along([0.2, 0.6], [0.7, 0.6])).map(({ kind }) => kind),
    ['appeared', 'entered', 'left'],
  );
  assert.ok(isInside({ cells: ['.#', '..'] }, [0.75, 0.25]));
  assert.ok(!isInside({ cells: ['.#', '..'] }, [0.75, 0.75]));
});

const document: SiteDocument = {
  causalis: 1,
  site: { key: 'quillmere', name: 'Quillmere', language: 'en', timezone: 'Europe/Dublin', modes: ['open'] },
  brokers: {},
  members: {},
  schedules: {},
  groups: { grounds: { watching: { quiet: '9s', dark: { difference: 30 } } } },
  recognisers: {},
  inputs: {},
  cameras: { 'palm-house': { ...camera(door, { smallest: '0.2%' }), group: 'grounds' } },
  hooks: {},
  accounts: {},
  outputs: {},
  rules: {
    full: {
      title: 'Too full',
      active: true,
      priority: 'important',
      cause: { event: ['count.reached'], at: ['palm-house'] },
      actions: {},
    },
    crowd: {
      title: 'Another one while it is full',
      active: true,
      priority: 'routine',
      cause: { event: ['line.crossed'], direction: 'in' },
      guards: [{ count: { 'palm-house/door': { inside: { above: 1 } } } }],
      actions: {},
    },
  },
};
const site = compileSite(document, (_, key) => key);

/** Lets people cross the door, and says what the rules made of each. */
function crossings(ways: readonly ('in' | 'out')[], label = 'person', wall = Date.UTC(2026, 6, 1, 10)) {
  const state = new Overlay(emptyState);
  let n = 0;
  const newId = () => `id-${n++}`;
  const results = ways.map((direction, i) => {
    const event: EventIn = {
      id: newId(),
      kind: 'line.crossed',
      section: 'cameras',
      source: 'palm-house',
      mark: 'door',
      data: { direction, label },
      time: wall + i * 1_000,
      seen: wall + i * 1_000,
      depth: 0,
      test: false,
    };
    const result = step(site, state, { kind: 'event', event }, { wall: wall + i * 1_000, steady: i * 1_000 }, newId);
    for (const [name, value] of result.changes) state.set(name, value);
    return result.events.flatMap(({ event: one, verdicts }) => [one.kind, ...verdicts.map(({ rule, verdict }) => `${rule} ${verdict}`)]);
  });
  return { results, state };
}

test('a threshold speaks when it is reached, and again only after falling below', () => {
  const { results } = crossings(['in', 'in', 'in', 'out', 'out', 'in']);
  assert.deepEqual(
    results.map((said) => said.includes('count.reached')),
    [false, true, false, false, false, true],
  );
  assert.ok(results[1].includes('full fired'));
  assert.deepEqual(
    results.map((said) => said.find((one) => one.startsWith('crowd'))),
    ['crowd held', 'crowd fired', 'crowd fired', undefined, undefined, 'crowd fired'],
    'a guard sees the count with the event that is judged',
  );
});

test('a counter counts only what it is told to, and begins anew at its time', () => {
  const { state } = crossings(['in', 'in', 'out', 'in']);
  const plans = countersOf(document);
  const zone = zoneOf('Europe/Dublin');
  const says = (wall: number) => readCounter(state, plans, zone, 'palm-house/door', wall);
  const { in: inwards, out, inside } = says(Date.UTC(2026, 6, 1, 16, 59)) ?? { in: -1, out: -1, inside: -1 };
  assert.deepEqual([inwards, out, inside], [3, 1, 2]);
  assert.equal(says(Date.UTC(2026, 6, 1, 17, 1))?.inside, 0, 'six in the evening in Dublin is five by UTC in summer');
  assert.equal(readCounter(crossings(['in'], 'vehicle').state, plans, zone, 'palm-house/door', Date.UTC(2026, 6, 1, 12))?.in, 0);
  const [plan] = plans.values();
  assert.equal(countsNow(plan, undefined, zone, 5).inside, 0);
});

test('a value comes from the camera, its group or what is usual, by day and in the dark', () => {
  const values = watchingInForce(document, 'palm-house');
  const origin = (name: string, dark = false) => values.find((one) => one.name === name && (one.dark ?? false) === dark);
  assert.deepEqual([origin('smallest')?.from, origin('quiet')?.from, origin('threshold')?.from], ['camera', 'group', 'default']);
  assert.deepEqual([origin('difference', true)?.value, origin('difference', true)?.from], ['30', 'group']);
  const settings = motionSettings(document.cameras['palm-house'], document.groups.grounds);
  assert.equal(settings.quietMs, 9_000);
  assert.deepEqual(settings.dark, { difference: 30 });

  test('a change of a group says what changes where, and who keeps their own', () => {
    const groups = { grounds: { watching: { ...document.groups.grounds.watching, quiet: '20s', smallest: '1%', dark: {} } } };
    assert.deepEqual(watchingChanges(document, { ...document, groups }), [
      { camera: 'palm-house', name: 'smallest', after: '0.2%', own: true },
      { camera: 'palm-house', name: 'quiet', before: '9s', after: '20s' },
      { camera: 'palm-house', name: 'difference', dark: true, before: '30' },
    ]);
    assert.deepEqual(watchingChanges(document, document), []);
  });
});
