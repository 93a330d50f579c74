import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import { test } from 'node:test';
import { fileURLToPath } from 'node:url';

const bench = fileURLToPath(new URL('../../bench/dist/main.js', import.meta.url));
/** Runs the fault run as `npm run bench -- faults` does. */
const faults = (...args: string[]): Promise<string> =>
  new Promise((resolve, reject) => {
    execFile(process.execPath, [bench, 'faults', ...args], { env: { PATH: process.env.PATH } }, (error, out) =>
      error && !out ? reject(error) : resolve(out),
    );
  });

test('a seed repeats its plan of kills and faults, and another has another', async () => {
  const plan = (seed: string) => faults('--seed', seed, '--firings', '10000', '--plan');
  const first = await plan('7');
  assert.equal(await plan('7'), first);
  assert.notEqual(await plan('8'), first);
  const kinds = new Set((JSON.parse(first) as { kind: string }[]).map(({ kind }) => kind));
  assert.deepEqual([...kinds].sort(), [
    'database',
    'desk-cuts',
    'desk-refuses',
    'lamp-away',
    'mailbox-away',
    'service',
    'service-at',
    'watcher',
  ]);
});

test('a short run of faults loses nothing and repeats nothing unmarked', async () => {
  const report = JSON.parse(await faults('--seed', '3', '--firings', '300', '--json')) as {
    kills: { service: number };
    lost: number;
    repeats: number;
    open: number;
    lampOff: boolean;
    states: Record<string, number>;
  };
  assert.ok(report.kills.service > 0);
  assert.deepEqual([report.lost, report.repeats, report.open, report.lampOff], [0, 0, 0, true]);
  // A command whose place a later one took is failed; everything else has arrived.
  assert.deepEqual(
    Object.keys(report.states).filter((state) => !['delivered', 'failed'].includes(state)),
    [],
  );
});
