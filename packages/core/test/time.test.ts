import assert from 'node:assert/strict';
import { test } from 'node:test';
import { compileSchedule, localDayTime, zoneOf } from '../src/index.js';

const minute = 60_000;
const weekdayNames = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];

test('offsets agree with Intl over two years, hour by hour', () => {
  for (const name of ['Europe/Dublin', 'America/St_Johns', 'Australia/Lord_Howe']) {
    const zone = zoneOf(name);
    const format = new Intl.DateTimeFormat('en-GB', { timeZone: name, hour: '2-digit', minute: '2-digit', hourCycle: 'h23' });
    for (let t = Date.UTC(2025, 11, 20); t < Date.UTC(2027, 11, 1); t += 7 * 3_600_000 + 13 * minute) {
      assert.equal(new Date(t + zone.offsetAt(t)).toISOString().slice(11, 16), format.format(t), `${name} ${new Date(t).toISOString()}`);
    }
  }
});

test('a time that is skipped becomes the end of the gap, one that comes twice is both', () => {
  const zone = zoneOf('Europe/Dublin');
  // Clocks go from 01:00 to 02:00 on 29 March 2026, and from 02:00 back to 01:00 on 25 October.
  assert.equal(new Date(zone.instantOf(Date.UTC(2026, 2, 29, 1, 30), 'first')).toISOString(), '2026-03-29T01:00:00.000Z');
  assert.equal(new Date(zone.instantOf(Date.UTC(2026, 9, 25, 1, 30), 'first')).toISOString(), '2026-10-25T00:30:00.000Z');
  assert.equal(new Date(zone.instantOf(Date.UTC(2026, 9, 25, 1, 30), 'second')).toISOString(), '2026-10-25T01:30:00.000Z');
});

test('a schedule over midnight belongs to the day on which it begins', () => {
  const zone = zoneOf('Europe/Dublin');
  const schedule = compileSchedule({ week: { fri: ['18:00-09:30'], sun: ['00:00-24:00'] } }, zone);
  const at = (iso: string) => schedule.holdsAt(Date.parse(iso));
  assert.ok(at('2026-11-20T18:00:00Z'));
  assert.ok(at('2026-11-21T09:29:59Z'));
  assert.ok(!at('2026-11-21T09:30:00Z'));
  assert.ok(!at('2026-11-20T17:59:59Z'));
  assert.ok(at('2026-11-22T12:00:00Z'));
  assert.ok(!at('2026-11-23T00:00:00Z'));
  assert.equal(localDayTime(zone, Date.parse('2026-07-01T17:52:00Z')), 'Wed 18:52');
});

test('dates add to the week, or stand in its place', () => {
  const zone = zoneOf('Europe/Dublin');
  const schedule = compileSchedule(
    {
      week: { 'mon-sun': ['18:00-08:00'] },
      dates: [
        { days: '2026-12-24..2026-12-26', also: ['08:00-18:00'] },
        { days: '2026-12-31', instead: [] },
        { days: '2027-01-01', instead: ['12:00-13:00'] },
      ],
    },
    zone,
  );
  const at = (iso: string) => schedule.holdsAt(Date.parse(iso));
  assert.ok(at('2026-12-25T12:00:00Z'));
  assert.ok(!at('2026-12-27T12:00:00Z'));
  assert.ok(at('2026-12-31T07:59:00Z'), 'what began the day before goes on');
  assert.ok(!at('2026-12-31T20:00:00Z'));
  assert.ok(!at('2027-01-01T20:00:00Z'));
  assert.ok(at('2027-01-01T12:30:00Z'));
});

test('a schedule equals a plain reading of the local clock away from its changes', () => {
  const zone = zoneOf('America/Santiago');
  const week = { 'mon-thu': ['18:00-08:00'], fri: ['18:00-09:30'], sat: ['17:00-09:30', '12:00-13:15'], sun: ['17:00-08:00'] };
  const schedule = compileSchedule({ week }, zone);
  const stretches: Record<string, [number, number][]> = {
    mon: [[1080, 1920]],
    tue: [[1080, 1920]],
    wed: [[1080, 1920]],
    thu: [[1080, 1920]],
    fri: [[1080, 2010]],
    sat: [
      [1020, 2010],
      [720, 795],
    ],
    sun: [[1020, 1920]],
  };
  for (let t = Date.UTC(2026, 5, 1); t < Date.UTC(2026, 6, 1); t += 5 * minute) {
    const local = t + zone.offsetAt(t);
    const ofDay = Math.floor((local % 86_400_000) / minute);
    const day = (Math.floor(local / 86_400_000) + 3) % 7;
    const [today, yesterday] = [stretches[weekdayNames[day]], stretches[weekdayNames[(day + 6) % 7]]];
    const expected = today.some(([from, to]) => ofDay >= from && ofDay < to) || yesterday.some(([, to]) => ofDay + 1440 < to);
    assert.equal(schedule.holdsAt(t), expected, new Date(t).toISOString());
  }
});
