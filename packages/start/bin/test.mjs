// All tests: sets up what is missing, starts a database of its own on loopback, runs every test file.
// Words after `npm test --` pick files whose path holds one of them.
import { spawn } from 'node:child_process';
import { readdirSync } from 'node:fs';
import { join, relative } from 'node:path';
import { root, setUp } from './setup.mjs';

setUp({ tests: true });
const { startTestDatabase } = await import('../dist/src/test-database.js');

function testFiles(folder) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) return entry.name === 'node_modules' || entry.name === 'src' ? [] : testFiles(path);
    return entry.name.endsWith('.test.js') ? [path] : [];
  });
}

const words = process.argv.slice(2);
const files = ['packages', 'tests']
  .flatMap((folder) => testFiles(join(root, folder)))
  .filter((path) => path.includes('/dist/') && (words.length === 0 || words.some((word) => relative(root, path).includes(word))));
if (files.length === 0) {
  process.stderr.write('There is no such test.\n');
  process.exit(1);
}
const database = await startTestDatabase();
// What a failed test left open keeps nobody from the end.
const run = spawn(process.execPath, ['--test', '--test-concurrency=2', '--test-force-exit', '--test-reporter=spec', ...files], {
  cwd: root,
  stdio: 'inherit',
  env: { ...process.env, CAUSALIS_TEST_DATABASE: database.adminUrl },
});
process.on('SIGINT', () => run.kill('SIGINT'));
run.on('exit', async (code) => {
  await database.stop();
  process.exit(code ?? 1);
});
