// The figures: `npm run bench`, or `npm run bench -- vision step size`; `--json` for machines.
import { spawnSync } from 'node:child_process';
import { root, setUp } from './setup.mjs';

setUp();
process.exit(spawnSync(process.execPath, ['bench/dist/main.js', ...process.argv.slice(2)], { cwd: root, stdio: 'inherit' }).status ?? 1);
