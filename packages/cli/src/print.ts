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

/** Rows in columns, as wide as needed; the last column is cut where the line would pass 80. */
export function table(head: readonly string[], rows: readonly (readonly string[])[]): string {
  if (rows.length === 0) return '';
  const widths = head.map((title, i) => Math.max(title.length, ...rows.map((row) => row[i].length)));
  const before = widths.slice(0, -1).reduce((sum, width) => sum + width + 2, 0);
  const last = Math.max(12, 80 - before);
  const line = (row: readonly string[]) =>
    row
      .map((cell, i) => (i === row.length - 1 ? (cell.length > last ? `${cell.slice(0, last - 1)}\u2026` : cell) : cell.padEnd(widths[i])))
      .join('  ')
      .trimEnd();
  return [line(head), ...rows.map(line)].join('\n');
}
