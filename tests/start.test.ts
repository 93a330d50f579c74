import assert from 'node:assert/strict';
import { execFile, spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { mkdtemp, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { after, test } from 'node:test';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { startDatabase } from '@causalis/start';
import { createConnection } from 'mariadb';

const home = await mkdtemp(path.join(tmpdir(), 'causalis-start-'));
after(() => rm(home, { recursive: true, force: true }));
const setup = fileURLToPath(new URL('../../packages/start/bin/setup.mjs', import.meta.url));
const start = fileURLToPath(new URL('../../packages/start/bin/start.mjs', import.meta.url));

test('the private database keeps what it holds, for its own user only', async () => {
  const first = await startDatabase(home);
  const connect = (url: string) => {
    const { hostname, port, username, password, pathname } = new URL(url.replace('mariadb:', 'http:'));
    return createConnection({
      host: hostname,
      port: Number(port),
      user: username,
      password,
      database: pathname.slice(1),
      connectTimeout: 2_000,
    });
  };
  const connection = await connect(first.url);
  await connection.query('CREATE TABLE kept (n INT)');
  await connection.query('INSERT INTO kept VALUES (42)');
  await connection.end();
  await assert.rejects(connect(first.url.replace(/:[^:@]+@/, ':wrong@')));
  await assert.rejects(connect(first.url.replace(/\/\/[^@]+@/, '//root:@')), 'the administrator does not come in over the network');
  assert.equal((await stat(path.join(home, 'database'))).mode & 0o777, 0o700);
  assert.equal((await stat(path.join(home, 'database.password'))).mode & 0o777, 0o600);

  // A start that was killed leaves its server behind: the next one ends it before it starts its own.
  const second = await startDatabase(home);
  assert.ok(!existsSync(`/proc/${first.pid}`));
  const again = await connect(second.url);
  assert.deepEqual(
    Array.from(await again.query('SELECT n FROM kept'), ({ n }) => n),
    [42],
  );
  await again.end();
  await second.stop();
});

test('what is missing is named, with the one command, to a user without rights', async () => {
  const folder = await mkdtemp(path.join(tmpdir(), 'causalis-bare-'));
  const script = `
    process.getuid = () => 1000;
    process.env.PATH = ${JSON.stringify(folder)};
    const { ensurePackages } = await import(${JSON.stringify(setup)});
    ensurePackages({ 'causalis-no-such-program': 'mariadb-server-core', node: 'nodejs', '/no/such/file': 'fonts-dejavu-core' });`;
  const failed = await promisify(execFile)(process.execPath, ['--input-type=module', '-e', script], { env: {} }).then(
    () => undefined,
    (error: { code: number; stderr: string }) => error,
  );
  assert.equal(failed?.code, 1);
  assert.match(failed?.stderr ?? '', /Missing: mariadb-server-core/);
  assert.match(failed?.stderr ?? '', /sudo sh -c "apt-get update && apt-get install -y --no-install-recommends mariadb-server-core/);
  await rm(folder, { recursive: true });
});

test('a start beside a running one says so and ends', async () => {
  const other = spawn(process.execPath, ['-e', 'setInterval(() => {}, 1000)', 'start.mjs'], { stdio: 'ignore' });
  await writeFile(path.join(home, 'running.json'), JSON.stringify({ pid: other.pid, url: 'http://127.0.0.1:7100' }));
  try {
    const { stdout } = await promisify(execFile)(process.execPath, [start], { env: { PATH: process.env.PATH, CAUSALIS_HOME: home } });
    assert.match(stdout, new RegExp(`running already on this folder \\(process ${other.pid}\\): http://127.0.0.1:7100`));
  } finally {
    other.kill();
  }
  assert.ok((await readFile(path.join(home, 'running.json'), 'utf8')).includes(String(other.pid)), 'the other’s mark stays');
});
