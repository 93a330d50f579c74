import type { ChildProcess } from 'node:child_process';
import { existsSync } from 'node:fs';
import { mkdir, readFile, rm, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { type FromService, serviceFile } from '@causalis/service';
import { standinsFile } from '@causalis/standins';
import { endChild, forkReady } from './children.js';
import { type PrivateDatabase, startDatabase } from './database.js';
import { putDemonstration, standInPasswords } from './demonstration.js';

const repository = fileURLToPath(new URL('../../../../', import.meta.url));
const home = path.resolve(process.env.CAUSALIS_HOME ?? path.join(repository, '.causalis'));
const port = Number(process.env.CAUSALIS_PORT ?? 7100);
const runningFile = path.join(home, 'running.json');
/** A part that ended by itself is started again after this. */
const againMs = 1_000;

const say = (text: string) => process.stdout.write(`${text}\n`);

/** Another start on the same folder that still runs. */
async function otherStart(): Promise<{ pid: number; url: string } | undefined> {
  const text = await readFile(runningFile, 'utf8').catch(() => undefined);
  if (text === undefined) return undefined;
  const other = JSON.parse(text) as { pid: number; url: string };
  const command = await readFile(`/proc/${other.pid}/cmdline`, 'utf8').catch(() => '');
  return command.includes('start.mjs') ? other : undefined;
}

/** Everything that one start has started, to be ended in the reverse order. */
class Started {
  private readonly ends: (() => Promise<void>)[] = [];
  ending = false;

  add(end: () => Promise<void>): void {
    this.ends.push(end);
  }

  async end(): Promise<void> {
    if (this.ending) return;
    this.ending = true;
    for (const end of this.ends.reverse()) await end();
  }
}

/** Starts the database, the stand-ins and the service with the demonstration site, and keeps them running until Ctrl-C. */
export async function start(): Promise<void> {
  const began = performance.now();
  const other = await otherStart();
  if (other) {
    say(`Causalis is running already on this folder (process ${other.pid}): ${other.url}`);
    return;
  }
  await mkdir(home, { recursive: true, mode: 0o700 });
  const started = new Started();
  const end = async () => {
    if (started.ending) return;
    say('\nEnding');
    await started.end();
    process.exit(0);
  };
  process.on('SIGINT', () => void end());
  process.on('SIGTERM', () => void end());
  try {
    const url = `http://127.0.0.1:${port}`;
    await writeFile(runningFile, JSON.stringify({ pid: process.pid, url }), { mode: 0o600 });
    started.add(() => rm(runningFile, { force: true }));
    const fresh = !existsSync(path.join(home, 'database'));
    say(fresh ? 'Making the database' : 'Starting the database');
    const database = await startDatabase(home);
    started.add(() => database.stop());
    const passwords = await standInPasswords(home);
    say('Starting the stand-ins');
    await keepRunning(started, 'The stand-ins', async () => {
      const { child, ready } = await forkReady<{ kind: string; reason?: string }>(standinsFile, process.env, passwords);
      if (ready.kind !== 'ready') throw new Error(`The stand-ins did not start: ${ready.reason}`);
      return child;
    });
    say('Starting the service');
    await keepRunning(started, 'The service', async () => (await forkReady<FromService>(serviceFile, serviceEnv(database))).child);
    if (await putDemonstration(home, url, passwords)) say('The demonstration site is in place');
    await greet(url, began);
  } catch (error) {
    process.stderr.write(`${(error as Error).message}\n`);
    await started.end();
    process.exit(1);
  }
}

const serviceEnv = (database: PrivateDatabase): NodeJS.ProcessEnv => ({
  PATH: process.env.PATH,
  NODE_ENV: 'production',
  CAUSALIS_HOME: home,
  CAUSALIS_DATABASE_URL: database.url,
  CAUSALIS_PORT: String(port),
  CAUSALIS_LOG: process.env.CAUSALIS_LOG ?? 'warn',
});

/** Starts a part and starts it again when it ends by itself. */
async function keepRunning(started: Started, what: string, run: () => Promise<ChildProcess>): Promise<void> {
  let child = await run();
  const watch = () =>
    child.once('exit', (code, signal) => {
      if (started.ending) return;
      say(`${what} ended (${signal ?? code}) and is started again`);
      setTimeout(again, againMs);
    });
  const again = () => {
    if (started.ending) return;
    run().then(
      (next) => {
        child = next;
        watch();
      },
      (error: Error) => {
        say(`${what} did not start: ${error.message}`);
        setTimeout(again, againMs * 5);
      },
    );
  };
  watch();
  started.add(() => endChild(child));
}

async function greet(url: string, began: number): Promise<void> {
  const first = await readFile(path.join(home, 'first-sign-in.json'), 'utf8').catch(() => undefined);
  const signIn =
    first === undefined
      ? 'with your own name'
      : `as ${(JSON.parse(first) as { name: string }).name} with the password ${(JSON.parse(first) as { password: string }).password}`;
  say(`
Ready after ${((performance.now() - began) / 1000).toFixed(1)} s.

  Console        ${url}
  Sign in        ${signIn}
  Command line   npm run causalis -- status
  Stand-ins      camera http://127.0.0.1:7201   lamp http://127.0.0.1:7321
                 mailbox http://127.0.0.1:7324  desk http://127.0.0.1:7326

Somebody walks up the drive within half a minute. Ctrl-C ends everything.`);
}
