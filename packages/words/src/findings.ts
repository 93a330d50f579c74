import type { Finding } from '@causalis/contract';
import { type Language, textsIn } from './catalogue.js';
import { fill } from './fill.js';

/** Path of a finding as people write it: `rules/night-visitor/cooldown/for`. */
export const pathText = (path: Finding['path']): string => (path.length === 0 ? 'the document' : path.join('/'));

/** A finding in words: what is wrong, the mend, and both with the place in one line. */
export function findingText(
  finding: Finding,
  language?: Language,
): { readonly what: string; readonly mend: string; readonly line: string } {
  const { findings } = textsIn(language);
  const [what, mend] = findings[finding.code] ?? findings.refused;
  const near = finding.values.near === undefined ? '' : `Did you mean ${finding.values.near}? `;
  const said = fill(what, finding.values);
  const mended = near + fill(mend, finding.values);
  const place = finding.place ? `line ${finding.place.line}, column ${finding.place.column}: ` : '';
  return { what: said, mend: mended, line: `${place}${pathText(finding.path)}: ${said}. ${mended}` };
}
