import type { Finding, SiteDocument } from '@causalis/contract';
import { checkDocument } from '@causalis/core';
import { placeFindings, readDocument } from '@causalis/document';

/** A document, when its shape is right, with everything that can be said of it. */
export interface Examined {
  readonly document?: SiteDocument;
  readonly findings: Finding[];
}

/** Reads, shapes and checks a text where it is called. */
export function examineHere(text: string): Examined {
  const read = readDocument(text);
  if ('findings' in read) return { findings: read.findings };
  return { document: read.value, findings: placeFindings(checkDocument(read.value), text) };
}
