import type { ProblemCode } from '@causalis/contract';
import { type Language, textsIn } from './catalogue.js';
import { fill } from './fill.js';

/** A problem in words. */
export function problemText(
  code: ProblemCode,
  values: Readonly<Record<string, string | number>> = {},
  language?: Language,
): { title: string; detail: string } {
  const [title, detail] = textsIn(language).problems[code];
  return { title, detail: fill(detail, values) };
}
