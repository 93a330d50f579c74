import { checkDocument } from '@causalis/core';
import { placeFindings, readDocument } from '@causalis/document';
import type { Examined } from './examine.js';

/** Reads, shapes and checks a text where it is called. */
export function examineHere(text: string): Examined {
  const read = readDocument(text);
  if ('findings' in read) return { findings: read.findings };
  return { document: read.value, findings: placeFindings(checkDocument(read.value), text) };
}
