import { readText } from '@causalis/document';
import type { FastifyInstance } from 'fastify';
import { Refusal } from '../problem.js';
import { refuseBody } from './errors.js';

/** Every string of a JSON text; those before a colon are keys. */
const strings = /"(?:[^"\\]|\\.)*"(\s*:)?/g;

/** How many keys a value has, all told. */
function countKeys(value: unknown): number {
  let count = 0;
  const stack = [value];
  for (let top = stack.pop(); top !== undefined || stack.length > 0; top = stack.pop()) {
    if (typeof top !== 'object' || top === null) continue;
    const inner = Object.values(top);
    if (!Array.isArray(top)) count += inner.length;
    // A value that is undefined would end the loop; JSON has none.
    for (const one of inner) stack.push(one);
  }
  return count;
}

/**
 * Reads JSON strictly: a key that is written twice (RFC 8259 §4 leaves open what it means) is refused with its place,
 * and so is one that would reach into prototypes.
 */
export function readJson(text: string): unknown {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new Refusal('body-refused', { first: 'It is no JSON.' });
  }
  let keys = 0;
  for (const [, colon] of text.matchAll(strings)) if (colon) keys++;
  if (keys !== countKeys(value) || /"(__proto__|constructor)"\s*:/.test(text)) {
    const read = readText(text);
    throw refuseBody('findings' in read ? read.findings : [{ level: 'error', code: 'bad-key', path: [], values: { value: '__proto__' } }]);
  }
  return value;
}

/** Takes JSON bodies, whatever flavour they call themselves. */
export function takeJson(app: FastifyInstance): void {
  app.removeContentTypeParser('application/json');
  for (const type of ['application/json', 'application/cloudevents+json', 'application/cloudevents-batch+json'])
    app.addContentTypeParser(type, { parseAs: 'string' }, async (_: unknown, body: string) => {
      if (body === '') throw new Refusal('body-refused', { first: 'It is empty.' });
      return readJson(body);
    });
}
