import assert from 'node:assert/strict';
import { test } from 'node:test';
import { eventKinds, type Verdict } from '@causalis/contract';
import {
  attemptCodes,
  attemptText,
  cameraText,
  clockText,
  dateText,
  deliveryText,
  eventText,
  heldText,
  kindText,
  lightText,
  shareText,
  skipText,
} from '../src/index.js';

const held = (by: NonNullable<Verdict['by']>, guards: Verdict['guards'] = []): Verdict => ({
  rule: 'r',
  title: 'R',
  verdict: 'held',
  by,
  guards,
});

test('each way of being held says the value that decided', () => {
  const zone = 'Europe/Dublin';
  assert.equal(heldText(held({ kind: 'inactive' }), zone), 'the rule is switched off');
  assert.equal(heldText(held({ kind: 'late', byMs: 125_000, mostMs: 60_000 }), zone), 'came in 2 m 05 s late, more than 1 m 00 s');
  assert.equal(
    heldText(held({ kind: 'guard', index: 0 }, [{ guard: 'schedule', holds: false, wanted: 'after-closing', saw: 'Mon 12:00' }]), zone),
    'Mon 12:00 lies outside after-closing',
  );
  assert.equal(
    heldText(held({ kind: 'cooldown', key: 'x', leftMs: 61_000, since: '2026-07-01T10:00:00.000Z' }), zone),
    'cooling down since 11:00:00, 1 m 01 s left',
  );
  assert.equal(
    heldText(held({ kind: 'circle', depth: 4, most: 4 }), zone),
    '4 firings of Causalis lie behind it: it would turn in a circle',
  );
});

test('each kind of event has its sentence and its name', () => {
  const data = {
    who: 'Ann',
    from: 'open',
    to: 'closed',
    lastedMs: 12_000,
    rule: 'Visitor',
    by: 'Bob',
    count: 7,
    free: 104_857_600,
    reason: 'no-answer',
    label: 'person',
    direction: 'in' as const,
    reached: 'inside' as const,
  };
  const said = eventKinds.map((kind) =>
    eventText({ kind, mark: 'drive', data: { ...data, ...(kind === 'clock.jumped' ? { byMs: -3_600_000 } : {}) } }, 'Gatehouse'),
  );
  assert.deepEqual(said, [
    'Motion on the drive of Gatehouse',
    'Motion on the drive of Gatehouse ended after 12 s',
    'Person appeared at Gatehouse',
    'Person entered the drive of Gatehouse',
    'Person left the drive of Gatehouse after 12 s',
    'Person has been in the drive of Gatehouse for 12 s',
    'Person crossed the drive of Gatehouse, in',
    'Count at the drive of Gatehouse: 7 inside',
    'Gatehouse reported',
    'Gatehouse is lost',
    'Gatehouse sends always the same picture',
    'Gatehouse is back',
    'Gatehouse is covered',
    'Gatehouse looks elsewhere',
    'Gatehouse is out of focus',
    'Gatehouse is blinded',
    'Gatehouse sees well again after 12 s',
    'Gatehouse was steered to closed by Bob',
    'Gatehouse has failed 7 times in a row: no answer in time',
    'Gatehouse works again after 12 s',
    'Gatehouse changed from open to closed',
    'Gatehouse called about Ann',
    'Ann arrived',
    'Ann left, 7 still there',
    'Mode changed from open to closed',
    'Causalis started again after 12 s',
    'The clock of the machine jumped 1 h 00 m back',
    'The disk is nearly full: 100 MB left, no pictures are kept',
    'The disk has room again: 100 MB',
    'Gatehouse reported too much: 7 were refused within 12 s',
    '“Visitor” counted too many apart: 7 cooldowns were forgotten',
    'Gatehouse has failed 7 times in a row: no answer in time',
    'Gatehouse works again after 12 s',
    'Trial of “Visitor” by Bob',
    'Test of Gatehouse by Bob',
    'Gatehouse set by Bob',
  ]);
  assert.ok(eventKinds.every((kind) => kindText(kind).length > 3));
  assert.equal(eventText({ kind: 'motion.began', data: {} }, 'Gatehouse'), 'Motion on Gatehouse');
});

test('each attempt and each skip has words; a failure has its mend', () => {
  for (const code of attemptCodes) assert.ok(attemptText({ code }).what.length > 3, code);
  assert.equal(attemptText({ code: 'status-refused', answer: '404 no' }).what, 'answered with an error: 404 no');
  assert.equal(attemptText({ code: 'never heard of' }).what, 'something went wrong in Causalis');
  for (const reason of ['needed-failed', 'needed-late', 'no-picture', 'rule-changed', 'no-camera'] as const)
    assert.match(skipText(reason), /^skipped: /);
});

test('deliveries and lights are named by what they do', () => {
  assert.equal(lightText({ power: true, level: 0.4 }), 'on at 40%');
  assert.equal(deliveryText({ output: 'floods', sets: { power: false }, back: true }), 'floods back to off');
  assert.equal(deliveryText({ output: 'media', back: false }), 'kept as a picture');
  assert.equal(deliveryText({ output: 'mail', recipient: 'a@b.example', back: false }), 'a@b.example over mail');
});

test('a camera says how it is and why', () => {
  const since = '2026-07-01T10:00:00.000Z';
  assert.equal(cameraText({ state: 'live', since, settling: true }), 'live, settling');
  assert.equal(cameraText({ state: 'lost', since, reason: { code: 'not-authorised' } }), 'lost: user or password refused');
  assert.equal(
    cameraText({ state: 'lost', since, reason: { code: 'wrong-type', detail: 'text/html' } }),
    'lost: what answers sends no pictures of this kind (text/html)',
  );
});

test('times are the site’s, to the millisecond where it matters', () => {
  assert.equal(clockText('2026-07-01T10:00:00.007Z', 'Europe/Dublin', true), '11:00:00.007');
  assert.equal(dateText('2026-01-01T00:30:00.000Z', 'America/St_Johns'), 'Wed 31 Dec 2025, 21:00:00');
  assert.deepEqual([0.00421, 0.6].map(shareText), ['0.42%', '60%']);
});
