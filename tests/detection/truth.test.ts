import assert from 'node:assert/strict';
import { readFile } from 'node:fs/promises';
import { test } from 'node:test';
import { Worker } from 'node:worker_threads';
import { readDocument } from '@causalis/document';
import { plan } from './plan.js';
import type { RunResult } from './run.js';

const repository = new URL('../../../', import.meta.url);

async function gatehouse() {
  const read = readDocument(await readFile(new URL('demo/quillmere.yaml', repository), 'utf8'));
  if (!('value' in read)) throw new Error(JSON.stringify(read.findings));
  return read.value.cameras.gatehouse;
}

/** All runs of the plan, on two threads. */
async function runAll(): Promise<RunResult[]> {
  const camera = await gatehouse();
  const runs = plan.seeds.flatMap((seed) => plan.hours.map((hour) => [seed, hour]));
  const results: RunResult[] = [];
  await Promise.all(
    [0, 1].map(
      (half) =>
        new Promise<void>((resolve, reject) => {
          const worker = new Worker(new URL('worker.js', import.meta.url), {
            workerData: { camera, runs: runs.filter((_, i) => i % 2 === half) },
          });
          worker
            .on('message', (result: RunResult) => results.push(result))
            .on('error', reject)
            .on('exit', () => resolve());
        }),
    ),
  );
  return results.sort((a, b) => a.seed - b.seed || a.hour - b.hour);
}

test('each walker on the drive is one event, and nothing else is any', async (t) => {
  const results = await runAll();
  const walkers = results.reduce((sum, { walkers }) => sum + walkers, 0);
  const found = results.reduce((sum, { found }) => sum + found, 0);
  t.diagnostic(`${results.length} runs, ${walkers} walkers, ${found} found`);
  const wrong = results.filter(({ missed, twice, without }) => missed.length > 0 || twice > 0 || without.length > 0);
  assert.equal(results.length, plan.seeds.length * plan.hours.length);
  assert.ok(walkers >= results.length * 4, 'the scene has too few walkers to say anything');
  assert.deepEqual(wrong, []);
});
