// Types, lint with walls and circles, format, unused code.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { bin, ensureModules, root } from './setup.mjs';

ensureModules();
const checks = [
  ['types', 'tsc', ['-b']],
  ['types of the console', 'vue-tsc', ['--noEmit', '-p', 'packages/console']],
  ['lint, walls, circles, format', 'biome', ['ci', '--error-on-warnings', '.']],
  ['unused code', 'knip', []],
];
let failed = false;
for (const [what, command, args] of checks) {
  const began = performance.now();
  const { status } = spawnSync(bin(command), args, { cwd: join(root), stdio: 'inherit' });
  process.stdout.write(`${status === 0 ? 'well  ' : 'FAILED'} ${what} (${Math.round(performance.now() - began)} ms)\n`);
  failed ||= status !== 0;
}
process.exit(failed ? 1 : 0);
