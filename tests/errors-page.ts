import { writeFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { problemStatus } from '@causalis/contract';
import { textsIn } from '@causalis/words';

/** Where the page of all errors stands. */
export const errorsFile = fileURLToPath(new URL('../../docs/errors.md', import.meta.url));

const cell = (text: string): string => text.replaceAll('|', '\\|').replaceAll(/\{(\w+)\}/g, '_$1_');
const table = (head: readonly string[], rows: readonly (readonly (string | number)[])[]): string[] =>
  [head, head.map(() => '---'), ...rows].map((row) => `| ${row.join(' | ')} |`);

/** The page as the code has it: every code with its sentence and its mend. */
export function errorsPage(): string {
  const { problems, findings, attempts } = textsIn('en');
  const rows = (texts: Readonly<Record<string, readonly [string, string]>>) =>
    Object.entries(texts).map(([code, [what, mend]]) => [`\`${code}\``, cell(what), cell(mend)]);
  return [
    '# All errors, and what to do',
    '',
    'Words in _italics_ stand for the value at hand.',
    '',
    '## What the service answers',
    '',
    ...table(
      ['code', 'status', 'what', 'do this'],
      rows(problems).map(([code, what, mend], i) => [
        code,
        Object.values(problemStatus)[Object.keys(problemStatus).indexOf(Object.keys(problems)[i])],
        what,
        mend,
      ]),
    ),
    '',
    '## What the check says of a document or a body',
    '',
    ...table(['code', 'what', 'do this'], rows(findings)),
    '',
    '## What an attempt of a delivery comes to',
    '',
    ...table(['code', 'what', 'do this'], rows(attempts)),
    '',
  ].join('\n');
}

// Run by itself, it writes the page anew.
if (process.argv[1] === fileURLToPath(import.meta.url)) await writeFile(errorsFile, errorsPage());
