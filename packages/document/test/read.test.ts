import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { test } from 'node:test';
import { shapeDocument } from '@causalis/contract';
import { readDocument, writeDocument } from '../src/index.js';

const demo = readFileSync(new URL('../../../../demo/quillmere.yaml', import.meta.url), 'utf8');
const findingsOf = (text: string) => {
  const read = readDocument(text);
  return 'findings' in read
    ? read.findings.map(({ code, path, place }) => `${place ? `${place.line}:${place.column} ` : ''}${code} ${path.join('/')}`)
    : [];
};

test('the demonstration’s document is right, and comes back from its export the same', () => {
  const read = readDocument(demo);
  assert.ok('value' in read);
  const again = readDocument(writeDocument(read.value));
  assert.ok('value' in again);
  assert.deepEqual(again.value, read.value);
});

test('all findings come at once, each with line and column', () => {
  const text = demo
    .replace('threshold: 0.3%', 'threshold: lots')
    .replace('at-least: 400ms', 'at-last: 400ms')
    .replace('security: none', 'security: nnone')
    .replace('for: 30s, per: camera', 'for: soon');
  const found = findingsOf(text);
  assert.equal(found.length, 4, found.join('\n'));
  for (const [code, part] of [
    ['bad-share', 'threshold'],
    ['unknown-word', 'at-last'],
    ['not-one-of', 'security'],
    ['bad-duration', 'for'],
  ]) {
    const line = found.find((one) => one.includes(`${code} `) && one.endsWith(part)) ?? '';
    const at = Number(line.split(':')[0]);
    assert.ok(text.split('\n')[at - 1]?.includes(part), `${part}: ${line}`);
  }
});

test('a text that is no YAML says where it breaks', () => {
  assert.match(findingsOf('site: [1, 2\nrules: }')[0] ?? '', /^2:\d+ not-readable/);
  assert.match(findingsOf('a: 1\na: 2')[0] ?? '', /not-readable/);
});

test('bombs and depths are refused before they are followed', () => {
  const bomb = Array.from(
    { length: 12 },
    (_, i) =>
      `a${i}: &a${i} [${
        i === 0
          ? '"x"'
          : Array(10)
              .fill(`*a${i - 1}`)
              .join(', ')
      }]`,
  ).join('\n');
  assert.deepEqual(
    findingsOf(bomb).map((line) => line.split(' ')[0]),
    ['too-many-values'],
  );
  assert.deepEqual(
    findingsOf(`${'['.repeat(60)}${']'.repeat(60)}`).map((line) => line.split(' ')[0]),
    ['too-deep'],
  );
  assert.deepEqual(
    findingsOf(`# ${'x'.repeat(9_000_000)}`).map((line) => line.split(' ')[0]),
    ['text-too-large'],
  );
});

test('hostile keys are words like any other', () => {
  assert.deepEqual(findingsOf(demo.replace('  gatehouse:\n', '  __proto__:\n    title: x\n  gatehouse:\n')).length > 0, true);
  assert.equal(({} as { title?: string }).title, undefined);
});

test('what is left out is written out by an export, and comes back as it was', () => {
  const least = {
    causalis: 1,
    site: { key: 'least', name: 'Least', timezone: 'UTC' },
    brokers: { b: { url: 'mqtt://127.0.0.1' } },
    members: { m: { name: 'M', ways: { mail: 'm@quillmere.example', over: 's' } } },
    schedules: { w: {} },
    groups: { g: {} },
    cameras: { c: { title: 'C', feeds: { main: { kind: 'multipart', url: 'http://127.0.0.1/' } } } },
    hooks: { h: {} },
    outputs: {
      s: { kind: 'smtp', host: '127.0.0.1', from: 'c@quillmere.example' },
      a: { kind: 'call', url: 'http://127.0.0.1/' },
      l: { kind: 'light', over: 'b', topic: 'l' },
    },
    rules: {
      r: { title: 'R', cause: { event: 'hook.called' }, cooldown: { for: '1s' }, guards: [], actions: { x: { still: { camera: 'c' } } } },
    },
  };
  const shaped = shapeDocument(least);
  if ('findings' in shaped) throw new Error(JSON.stringify(shaped.findings));
  const again = readDocument(writeDocument(shaped.document));
  assert.deepEqual('value' in again ? again.value : again.findings, shaped.document);
});
