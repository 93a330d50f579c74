import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { test } from 'node:test';
import { problemStatus, Rule } from '@causalis/contract';
import { durationText, findingText, guardText, messageText, ruleText, textsIn } from '../src/index.js';

test('durations fit their size', () => {
  assert.deepEqual([0, 340, 1_200, 12_000, 125_000, 12_000_000, 200_000_000].map(durationText), [
    '0 ms',
    '340 ms',
    '1.2 s',
    '12 s',
    '2 m 05 s',
    '3 h 20 m',
    '2 d 7 h',
  ]);
});

test('a rule reads as a sentence', () => {
  const rule = Rule.parse({
    title: 'x',
    cause: { event: 'motion.began', at: 'gatehouse', mark: 'drive' },
    guards: [{ mode: ['closed', 'evening-event'] }, { schedule: 'after-closing' }],
    cooldown: { for: '1m30s', per: 'camera' },
    actions: { a: { set: 'floods', to: { power: true }, for: '5m' }, b: { still: {} }, c: { tell: 'keeper', with: 'b' } },
  });
  assert.equal(
    ruleText(rule, { gatehouse: 'Gatehouse drive' }),
    'When motion begins on the drive of Gatehouse drive, while the mode is closed or evening-event and the time is in after-closing, set floods on for 5 m, take a still and tell keeper, with its picture; then not again for 1 m 30 s per camera.',
  );
});

test('every message carries what, where and the time at the site', () => {
  const { subject, text } = messageText({
    kind: 'motion.began',
    mark: 'drive',
    data: {},
    title: 'Gatehouse drive',
    time: '2026-07-01T17:52:04.000Z',
    rule: 'Visitor',
    priority: 'urgent',
    site: 'Quillmere',
    timezone: 'Europe/Dublin',
    link: 'http://x/1',
    test: true,
  });
  assert.equal(subject, 'Test: Urgent: Motion on the drive of Gatehouse drive · Quillmere');
  assert.match(text, /Wed 1 Jul 2026, 18:52:04 \(Europe\/Dublin\)/);
  assert.match(text, /http:\/\/x\/1/);
  assert.match(text, /This is a test/);
});

test('a guard says what it saw', () => {
  assert.equal(
    guardText({ guard: 'mode', holds: false, wanted: 'closed, evening-event', saw: 'open' }),
    'mode is open, not closed or evening-event',
  );
});

const { findings: findingTexts, problems: problemTexts } = textsIn();

test('every code that the house can give has its words, and no words are left over', () => {
  assert.deepEqual(Object.keys(problemTexts).sort(), Object.keys(problemStatus).sort());
  const root = new URL('../../../', import.meta.url);
  const sources = ['contract', 'core', 'document', 'service']
    .flatMap((name) => files(new URL(`${name}/src/`, root)))
    .map((file) => readFileSync(file, 'utf8'))
    .join('\n');
  for (const code of Object.keys(findingTexts)) assert.ok(sources.includes(`'${code}'`), `${code} is given by nobody`);
  const givers = [
    /params: \{ code: '([a-z-]+)'/g,
    /refuse\('([a-z-]+)'/g,
    /say\(\s*(?:(?:level|'error'|'warning'|'hint'),\s*)?'([a-z-]+)'/g,
    /level: '[a-z]+'(?: as const)?,\s*code: '([a-z-]+)'/g,
    /finding\('([a-z-]+)'/g,
  ];
  const given = givers.flatMap((giver) => [...sources.matchAll(giver)].map(([, code]) => code));
  assert.ok(given.length > 50);
  for (const code of given) assert.ok(code in findingTexts, `${code} has no words`);
  assert.match(
    findingText({ level: 'error', code: 'bad-share', path: ['cameras', 'g'], values: { value: 'x' }, place: { line: 3, column: 7 } }).line,
    /^line 3, column 7: cameras\/g: x is no share/,
  );
});

function files(folder: URL): URL[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
    entry.isDirectory() ? files(new URL(`${entry.name}/`, folder)) : entry.name.endsWith('.ts') ? [new URL(entry.name, folder)] : [],
  );
}
