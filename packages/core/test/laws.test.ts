import assert from 'node:assert/strict';
import { test } from 'node:test';
import { shapeDocument } from '@causalis/contract';
import fc from 'fast-check';
import { compileSchedule, compileSite, type EventIn, emptyState, Overlay, step, zoneOf } from '../src/index.js';

function siteWith(cooldown: object) {
  const shaped = shapeDocument({
    causalis: 1,
    site: { key: 'quillmere', name: 'Quillmere', timezone: 'Europe/Dublin' },
    hooks: { desk: {} },
    rules: { r: { title: 'R', active: true, cause: { event: 'hook.called', at: 'desk' }, cooldown } },
  });
  if ('findings' in shaped) throw new Error(JSON.stringify(shaped.findings));
  return compileSite(shaped.document, (_, key) => key);
}

test('a cooldown never lets two firings of one key closer than its length', () => {
  const site = siteWith({ for: '10s', per: ['who', 'label'] });
  const visit = fc.record({ after: fc.nat(6_000), who: fc.constantFrom('a', 'b', undefined), label: fc.constantFrom('x', undefined) });
  fc.assert(
    fc.property(fc.array(visit, { minLength: 1, maxLength: 60 }), (visits) => {
      const state = new Overlay(emptyState);
      const fired = new Map<string, number>();
      let steady = 0;
      let ids = 0;
      for (const { after, who, label } of visits) {
        steady += after;
        const event: EventIn = {
          id: `e${++ids}`,
          kind: 'hook.called',
          section: 'hooks',
          source: 'desk',
          data: { ...(who ? { who } : {}), ...(label ? { label } : {}) },
          time: 0,
          seen: 0,
          depth: 0,
          test: false,
        };
        const result = step(site, state, { kind: 'event', event }, { wall: 0, steady }, () => `i${++ids}`);
        for (const [name, value] of result.changes) state.set(name, value);
        const key = `${who} ${label}`;
        const last = fired.get(key);
        const did = result.events[0].verdicts[0].verdict === 'fired';
        assert.equal(did, last === undefined || steady - last >= 10_000, 'it fires exactly when the length has passed');
        if (did) fired.set(key, steady);
      }
    }),
    { numRuns: 200 },
  );
});

test('a week says the same as its quarters of an hour, in zones with odd changes of the clock', () => {
  const quarter = 15 * 60_000;
  const time = fc.nat(95).map((n) => `${String(Math.floor(n / 4)).padStart(2, '0')}:${String((n % 4) * 15).padStart(2, '0')}`);
  const stretch = fc.tuple(time, time).map(([from, to]) => `${from}-${to}`);
  const names = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];
  fc.assert(
    fc.property(
      fc.constantFrom('Europe/Dublin', 'Australia/Lord_Howe', 'Asia/Kathmandu', 'America/St_Johns'),
      fc.constantFrom(...names),
      stretch,
      fc.nat(300),
      (name, day, text, from) => {
        const zone = zoneOf(name);
        const schedule = compileSchedule({ week: { [day]: [text] } }, zone);
        const [begin, end] = text.split('-').map((t) => Number(t.slice(0, 2)) * 60 + Number(t.slice(3)));
        const start = Date.UTC(2026, 0, 5) + from * 86_400_000;
        for (let t = start; t < start + 2 * 86_400_000; t += quarter) {
          // Around a change of the clock, what a local time means is a rule of its own, tested by name.
          if (zone.offsetAt(t - 26 * 3_600_000) !== zone.offsetAt(t + 26 * 3_600_000)) continue;
          const local = new Date(t + zone.offsetAt(t));
          const ofDay = local.getUTCHours() * 60 + local.getUTCMinutes();
          const today = names[(local.getUTCDay() + 6) % 7] === day;
          const yesterday = names[(local.getUTCDay() + 5) % 7] === day;
          const over = end <= begin;
          const expected = (today && ofDay >= begin && (over || ofDay < end)) || (over && yesterday && ofDay < end);
          assert.equal(schedule.holdsAt(t), expected, `${name} ${day} ${text} ${new Date(t).toISOString()}`);
        }
      },
    ),
    { numRuns: 60 },
  );
});
