import { execFileSync } from 'node:child_process';
import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { gzipSync } from 'node:zlib';
import { type Figure, median } from './figure.js';

const console_ = fileURLToPath(new URL('../../packages/console/dist/', import.meta.url));
const command = fileURLToPath(new URL('../../packages/cli/bin/causalis.mjs', import.meta.url));
const demo = fileURLToPath(new URL('../../demo/quillmere.yaml', import.meta.url));

/** What the console's first page loads, beside everything it could load; and how soon the command line answers, beside Node itself. */
export function sizes(): Figure[] {
  const size = (name: string) => gzipSync(readFileSync(`${console_}assets/${name}`)).length;
  const text = (name: string) => /\.(js|css)$/.test(name);
  const all = readdirSync(`${console_}assets`).filter(text);
  const page = readFileSync(`${console_}index.html`, 'utf8');
  const first = all.filter(
    (name) =>
      page.includes(name) ||
      name.startsWith('WatchPage') ||
      name.startsWith('EventList') ||
      name.startsWith('Thumb') ||
      name.startsWith('Knot'),
  );
  const [ours, whole] = [first, all].map((names) => names.reduce((sum, name) => sum + size(name), 0) / 1024);

  const n = 9;
  const time = (args: string[]) =>
    median(
      Array.from({ length: n }, () => {
        const began = performance.now();
        execFileSync(process.execPath, args, { stdio: 'ignore' });
        return performance.now() - began;
      }),
    );
  const [answer, bare] = [time([command, 'site', 'check', demo]), time(['-e', '0'])];
  return [
    {
      name: 'console, first load compressed',
      ours: `${ours.toFixed(0)} kB`,
      beside: `all pages ${whole.toFixed(0)} kB`,
      ratio: ours / whole,
      aim: '≤ 250 kB',
      met: ours <= 250,
      n: 1,
    },
    {
      name: 'command line, a document checked',
      ours: `${answer.toFixed(0)} ms`,
      beside: `Node alone ${bare.toFixed(0)} ms`,
      ratio: answer / bare,
      aim: '≤ 400 ms',
      met: answer <= 400,
      n,
    },
  ];
}
