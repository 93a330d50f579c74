import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { test } from 'node:test';
import { shapeDocument } from '@causalis/contract';
import fc from 'fast-check';
import { readDocument, readText } from '../src/index.js';

const demo = readFileSync(new URL('../../../../demo/quillmere.yaml', import.meta.url), 'utf8');
const plain = readText(demo);
if (!('value' in plain)) throw new Error('the demonstration cannot be read');
const value = plain.value as Record<string, unknown>;

/** Every place of a value, as a path. */
function places(of: unknown, path: (string | number)[] = []): (string | number)[][] {
  if (typeof of !== 'object' || of === null) return [path];
  return [path, ...Object.entries(of).flatMap(([key, inner]) => places(inner, [...path, Array.isArray(of) ? Number(key) : key]))];
}

test('whatever stands at any place of a document, it is accepted or refused with a place, never a crash', () => {
  const every = places(value).slice(1);
  fc.assert(
    fc.property(fc.constantFrom(...every), fc.jsonValue(), (path, hostile) => {
      const copy = structuredClone(value);
      let here = copy as Record<string | number, unknown>;
      for (const step of path.slice(0, -1)) here = here[step] as Record<string | number, unknown>;
      here[path[path.length - 1]] = hostile;
      const shaped = shapeDocument(copy);
      if ('findings' in shaped) for (const finding of shaped.findings) assert.ok(finding.path.length > 0 && finding.code.length > 0);
    }),
    { numRuns: 500 },
  );
});

test('no text makes the reading crash', () => {
  fc.assert(
    fc.property(fc.string({ maxLength: 300, unit: 'binary' }), fc.nat(demo.length), (noise, at) => {
      readDocument(noise);
      readDocument(demo.slice(0, at) + noise + demo.slice(at));
    }),
    { numRuns: 150 },
  );
});
