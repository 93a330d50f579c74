import assert from 'node:assert/strict';
import { test } from 'node:test';
import { isNotYet, parseDates, parseDays, parseDuration, parseShare, parseStretch, plainLine, shapeDocument } from '../src/index.js';

test('durations are read as they are spoken', () => {
  for (const [text, ms] of [
    ['250ms', 250],
    ['5s', 5_000],
    ['2m', 120_000],
    ['1h30m', 5_400_000],
    ['30d', 2_592_000_000],
  ] as const)
    assert.equal(parseDuration(text), ms);
  for (const text of ['', '5', '5 s', '-5s', '5s2m', '1.5s', '99999d', 's', '5sec']) assert.equal(parseDuration(text), undefined, text);
});

test('shares and stretches know their bounds', () => {
  assert.equal(parseShare('0.4%'), 0.004);
  assert.equal(parseShare('101%'), undefined);
  assert.deepEqual(parseStretch('18:00-08:00'), { from: 1080, to: 1920 });
  assert.deepEqual(parseStretch('00:00-24:00'), { from: 0, to: 1440 });
  assert.equal(parseStretch('8:00-9:00'), undefined);
  assert.equal(parseStretch('24:00-01:00'), undefined);
  assert.deepEqual(parseDays('sat-mon'), [5, 6, 0]);
  assert.equal(parseDays('monday'), undefined);
  assert.deepEqual(parseDates('1970-01-02..1970-01-05'), { from: 1, to: 4 });
  assert.deepEqual(parseDates('1970-01-02'), { from: 1, to: 1 });
  for (const text of ['2026-02-30', '2026-12-26..2026-12-24', '24.12.2026', '2026-12-24..', ''])
    assert.equal(parseDates(text), undefined, text);
});

test('a text from outside becomes one harmless line', () => {
  assert.equal(plainLine('a\u001b[31mb\r\nc', 60), 'a [31mb  c');
  assert.equal(plainLine('\u202eabc', 60, '·'), '·abc');
  assert.equal(plainLine('x'.repeat(100), 10).length, 10);
});

test('words of the language that are not carried out yet are answered by name', () => {
  assert.ok(isNotYet(['site', 'addresses', 'outside']));
  assert.ok(isNotYet(['cameras', 'gatehouse', 'keep']));
  assert.ok(isNotYet(['outputs', 'offsite', 'kind'], 'ftp'));
  assert.ok(!isNotYet(['cameras', 'gatehouse', 'titel']));
  const { findings } = shapeDocument({
    causalis: 1,
    site: { key: 'q', name: 'Q', timezone: 'Europe/Dublin' },
    rules: {
      r: {
        title: 'R',
        cause: { event: 'time.came' },
        guards: { sky: 'dark' },
        alarm: {},
        actions: { a: { say: 'hello' } },
        colour: 'red',
      },
    },
  }) as { findings: { code: string; path: (string | number)[] }[] };
  const codes = Object.fromEntries(findings.map(({ path, code }) => [path.join('/'), code]));
  assert.equal(codes['rules/r/cause/event/0'], 'not-yet');
  assert.equal(codes['rules/r/guards/0/sky'], 'not-yet');
  assert.equal(codes['rules/r/alarm'], 'not-yet');
  assert.equal(codes['rules/r/actions/a/say'], 'not-yet');
  assert.equal(codes['rules/r/colour'], 'unknown-word');
});

test('a word that is nearly right is answered with the right one, wherever it stands', () => {
  const shaped = shapeDocument({
    causalis: 1,
    site: { key: 'q', name: 'Q', timezone: 'UTC', mods: ['a'] },
    rulez: {},
    cameras: {
      c: { title: 'C', feeds: { main: { kind: 'multipart', url: 'http://127.0.0.1/', usr: 'x' } }, watching: { treshold: '1%' } },
    },
    rules: { r: { title: 'R', cause: { event: 'hook.called' }, guards: { mood: 'x' }, actions: { a: { tel: 'x' } } } },
  });
  assert.ok('findings' in shaped);
  const near = shaped.findings.flatMap(({ code, path, values }) => (code === 'unknown-word' ? [[path.join('/'), values.near]] : []));
  assert.deepEqual(Object.fromEntries(near), {
    'site/mods': 'modes',
    rulez: 'rules',
    'cameras/c/feeds/main/usr': 'user',
    'cameras/c/watching/treshold': 'threshold',
    'rules/r/guards/0/mood': 'mode',
    'rules/r/actions/a/tel': 'tell',
  });
});
