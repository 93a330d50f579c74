import { plainLine } from '@causalis/contract';
import type { CommonOptions } from './session.js';

const out = (text: string): void => {
  process.stdout.write(`${text}\n`);
};

/** Border text may not move the cursor or change colours of somebody's terminal. */
const plain = (text: string): string =>
  text
    .split('\n')
    .map((line) => plainLine(line, 100_000, '\u00b7'))
    .join('\n');

/** Prints a result: as JSON where asked for, otherwise in words. */
export function print(options: CommonOptions, value: unknown, words: () => string): void {
  out(options.json ? JSON.stringify(value, null, 2) : plain(words()));
}

/** Prints one line of something that goes on: one JSON value a line, or words. */
export function printLine(options: CommonOptions, value: unknown, words: () => string): void {
  out(options.json ? JSON.stringify(value) : plain(words()));
}

/** A line is never longer than this: what a terminal shows without wrapping. */
const lineWidth = 80;
/** A column is not cut below this. */
const leastWidth = 8;

/** Rows in columns, 80 characters at most: the widest columns give way first, and what is cut ends in `\u2026`. */
export function table(head: readonly string[], rows: readonly (readonly string[])[]): string {
  if (rows.length === 0) return '';
  const widths = head.map((title, i) => Math.max(title.length, ...rows.map((row) => row[i].length)));
  const room = lineWidth - 2 * (head.length - 1);
  for (let over = widths.reduce((sum, width) => sum + width, 0) - room; over > 0; over--) {
    const widest = widths.lastIndexOf(Math.max(...widths));
    if (widths[widest] <= leastWidth) break;
    widths[widest]--;
  }
  const fit = (cell: string, width: number) => (cell.length > width ? `${cell.slice(0, width - 1)}\u2026` : cell.padEnd(width));
  const line = (row: readonly string[]) =>
    row
      .map((cell, i) => fit(cell, widths[i]))
      .join('  ')
      .trimEnd();
  return [line(head), ...rows.map(line)].join('\n');
}
