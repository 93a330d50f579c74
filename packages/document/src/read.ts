import { type Finding, type SiteDocument, shapeDocument } from '@causalis/contract';
import { load, YAMLException } from 'js-yaml';
import { placeFindings } from './places.js';

/** A text larger than this is refused before it is read: 500 cameras and 10,000 rules take under 6 MB. */
export const mostBytes = 8 * 1024 * 1024;
/** Deeper than any word of the language goes. */
const mostDepth = 24;
/** More values than any site needs; aliases count each time they are used, so that a bomb is met here. */
const mostValues = 2_000_000;

export type Read<T> = { readonly value: T } | { readonly findings: Finding[] };

const finding = (code: string, values: Finding['values'] = {}, place?: Finding['place']): Finding => ({
  level: 'error',
  code,
  path: [],
  values,
  ...(place ? { place } : {}),
});

/** Counts values and depth without following anything twice for free. */
function bounded(value: unknown): string | undefined {
  let values = 0;
  const stack: { value: unknown; depth: number }[] = [{ value, depth: 0 }];
  for (let top = stack.pop(); top; top = stack.pop()) {
    if (++values > mostValues) return 'too-many-values';
    if (top.depth > mostDepth) return 'too-deep';
    if (typeof top.value === 'object' && top.value !== null) {
      if (Object.hasOwn(top.value, '__proto__')) return 'bad-key';
      for (const inner of Object.values(top.value)) stack.push({ value: inner, depth: top.depth + 1 });
    }
  }
  return undefined;
}

/** Reads YAML 1.2 or JSON, which is a part of it, into plain values; findings say where the text breaks. */
export function readText(text: string): Read<unknown> {
  if (Buffer.byteLength(text) > mostBytes) return { findings: [finding('text-too-large', { most: mostBytes })] };
  try {
    const value = load(text);
    const beyond = bounded(value);
    return beyond
      ? { findings: [finding(beyond, { most: beyond === 'too-deep' ? mostDepth : mostValues, value: '__proto__' })] }
      : { value };
  } catch (error) {
    if (!(error instanceof YAMLException)) throw error;
    const place = error.mark ? { line: error.mark.line + 1, column: error.mark.column + 1 } : undefined;
    return { findings: [finding('not-readable', { reason: String(error.reason) }, place)] };
  }
}

/** Reads a document by its shape: the document, or everything that is wrong with it, with line and column. */
export function readDocument(text: string): Read<SiteDocument> {
  const read = readText(text);
  if ('findings' in read) return read;
  const shaped = shapeDocument(read.value);
  return 'document' in shaped ? { value: shaped.document } : { findings: placeFindings(shaped.findings, text) };
}
