import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Figure } from './figure.js';

const law = fileURLToPath(new URL('../../packages/core/dist/test/schedule-law.test.js', import.meta.url));
const years = 10;

/** The law of schedules over ten years in five time zones, minute by minute. */
export function laws(): Figure[] {
  const began = performance.now();
  const { status, stdout } = spawnSync(process.execPath, ['--test', '--test-reporter=tap', law], {
    env: { PATH: process.env.PATH, CAUSALIS_LAW_YEARS: String(years) },
    encoding: 'utf8',
    maxBuffer: 1 << 26,
  });
  const [zones, broken] = ['pass', 'fail'].map((word) => Number(new RegExp(`^# ${word} (\\d+)`, 'm').exec(stdout)?.[1] ?? 0));
  const seconds = (performance.now() - began) / 1000;
  return [
    {
      name: `schedules, ${years} years by the minute`,
      ours: `${zones} zones agree`,
      beside: `${zones + broken} asked of Intl, ${seconds.toFixed(0)} s`,
      ratio: zones / (zones + broken),
      aim: 'every minute the same',
      met: status === 0,
      n: zones + broken,
    },
  ];
}
