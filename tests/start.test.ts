import assert from 'node:assert/strict';
import { execFile, spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import { mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { after, test } from 'node:test';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { freePort, leastRoomBytes, needPort, needRoom, startDatabase } from '@causalis/start';
import { createConnection } from 'mariadb';
import { causalis } from './at-work/command-line.js';

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

/** One start of everything, on ports of its own, as a person would see it. */
class Start {
  said = '';
  readonly process: ReturnType<typeof spawn>;

  constructor(folder: string, more: Record<string, string>) {
    this.process = spawn(process.execPath, [start], {
      env: { PATH: process.env.PATH, CAUSALIS_HOME: folder, ...more },
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    for (const stream of [this.process.stdout, this.process.stderr])
      stream?.on('data', (text: Buffer) => {
        this.said += text.toString();
      });
  }

  /** Resolves as soon as something has been said, or the process has ended. */
  async says(what: string): Promise<boolean> {
    return await new Promise((resolve) => {
      const look = () => this.said.includes(what) && resolve(true);
      for (const stream of [this.process.stdout, this.process.stderr]) stream?.on('data', look);
      this.process.once('exit', () => resolve(this.said.includes(what)));
      look();
    });
  }

  async end(signal: NodeJS.Signals): Promise<number | null> {
    const gone = new Promise<number | null>((resolve) => this.process.once('exit', resolve));
    this.process.kill(signal);
    return await gone;
  }
}

test('a first start that is killed, wherever it is, is gone on with by the next', async () => {
  const folder = await mkdtemp(path.join(tmpdir(), 'causalis-killed-'));
  const ports = { CAUSALIS_PORT: String(await freePort()), CAUSALIS_STANDINS: '27200' };
  for (const stage of ['Making the database', 'Starting the stand-ins', 'Starting the service']) {
    const killed = new Start(folder, ports);
    assert.ok(await killed.says(stage), killed.said);
    await killed.end('SIGKILL');
    // What a person could find in the folder afterwards: half a file.
    await writeFile(path.join(folder, 'running.json'), '{"pid":');
  }
  const last = new Start(folder, ports);
  assert.ok(await last.says('Ready after'), last.said);
  assert.match(last.said, /Sign in +as integrator with the password \S+/);
  const secrets = await causalis(folder, ['secret', 'list']);
  assert.doesNotMatch(secrets.out, /not set/);

  // A start on a port that is taken says so, and harms nothing.
  const beside = new Start(await mkdtemp(path.join(tmpdir(), 'causalis-beside-')), { ...ports, CAUSALIS_STANDINS: '28200' });
  await new Promise((resolve) => beside.process.once('exit', resolve));
  assert.match(
    beside.said,
    new RegExp(`Port ${ports.CAUSALIS_PORT} on 127.0.0.1 is taken by another program. End it, or take another port`),
  );

  // The forgetful: a new password for whoever can read the data folder.
  const reset = await causalis(folder, ['login', '--reset']);
  assert.match(reset.out, /integrator signs in with the password [a-z0-9-]{19}/);
  assert.ok(!existsSync(path.join(folder, 'first-sign-in.json')));
  assert.equal((await causalis(folder, ['status'])).code, 0);
  const password = /password (\S+)/.exec(reset.out)?.[1] ?? '';
  const login = await causalis(folder, ['login', 'integrator'], `${password}\n`);
  assert.match(login.out, /Signed in as integrator \(integrator\)/);
  assert.equal((await causalis(folder, ['login', 'integrator'], 'wrong-password\n')).code, 1);
  assert.equal(await last.end('SIGINT'), 0);

  // A folder without the server's own tables is put aside, never deleted.
  await rm(path.join(folder, 'database', 'mysql'), { recursive: true });
  const mended = new Start(folder, ports);
  assert.ok(await mended.says('Ready after'), mended.said);
  assert.equal(await mended.end('SIGINT'), 0);
  assert.ok((await readdir(folder)).some((name) => name.startsWith('database.broken-')));
  await rm(folder, { recursive: true });
});

test('a disk without room and a port that is taken are refused before anything is begun', async () => {
  await needRoom(home, async () => leastRoomBytes);
  await assert.rejects(
    needRoom(home, async () => leastRoomBytes - 1),
    /Only 299 MB are free on the disk of .* Make room/,
  );
  const server = createServer().listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  const { port } = server.address() as { port: number };
  await assert.rejects(needPort(port, '127.0.0.1', 'take another'), /is taken by another program/);
  await new Promise((resolve) => server.close(resolve));
  await needPort(port, '127.0.0.1', 'take another');
});
