// Makes the pictures of docs/screenshots anew, from the demonstration site at work.
import { spawnSync } from 'node:child_process';
import { root, setUp } from './setup.mjs';

setUp({ tests: true });
const { startTestDatabase } = await import('../dist/src/test-database.js');
const database = await startTestDatabase();
const { status } = spawnSync(process.execPath, ['tests/dist/screenshots.js'], {
  cwd: root,
  stdio: 'inherit',
  env: { ...process.env, CAUSALIS_TEST_DATABASE: database.adminUrl },
});
await database.stop();
process.exit(status ?? 1);
