import type { ChildProcess } from 'node:child_process';
import { existsSync } from 'node:fs';
import { mkdir, readFile, rm } from 'node:fs/promises';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { type FromService, serviceFile, writeWhole } from '@causalis/service';
import { standinsFile } from '@causalis/standins';
import { endChild, forkReady } from './children.js';
import { type PrivateDatabase, startDatabase } from './database.js';
import { putDemonstration, readJson, standInPasswords, typedSends, usualBase } from './demonstration.js';
import { needPort, needRoom, StartTrouble } from './trouble.js';

const repository = fileURLToPath(new URL('../../../../', import.meta.url));
const home = path.resolve(process.env.CAUSALIS_HOME ?? path.join(repository, '.causalis'));
const host = '127.0.0.1';
const port = Number(process.env.CAUSALIS_PORT ?? 7100);
/** The ports of the stand-ins are counted from here. */
const base = Number(process.env.CAUSALIS_STANDINS ?? usualBase);
const runningFile = path.join(home, 'running.json');
/** A part that ended by itself is started again after this. */
const againMs = 1_000;

const say = (text: string) => process.stdout.write(`${text}\n`);

/** Another start on the same folder that still runs. */
async function otherStart(): Promise<{ pid: number; url: string } | undefined> {
  const other = await readJson<{ pid: number; url: string }>(runningFile);
  if (!other) return undefined;
  const command = await readFile(`/proc/${other.pid}/cmdline`, 'utf8').catch(() => '');
  return command.includes('start.mjs') ? other : undefined;
}

/** Makes the data folder, or says why it cannot be. */
async function makeHome(): Promise<void> {
  try {
    await mkdir(home, { recursive: true, mode: 0o700 });
  } catch (error) {
    throw new StartTrouble(`The data folder ${home} cannot be made: ${(error as Error).message}. Take another (CAUSALIS_HOME).`);
  }
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
    const url = `http://${host}:${port}`;
    await makeHome();
    await needRoom(home);
    await needPort(port, host, `take another port: CAUSALIS_PORT=${port + 100} npm start`);
    for (const of of [1, 2, 3, 4, 5, 6, 7, 12, 13, 17, 101, 120, 121, 124, 125, 126])
      await needPort(base + of, host, `count the ports of the stand-ins from elsewhere: CAUSALIS_STANDINS=${base + 1000} npm start`);
    await writeWhole(runningFile, JSON.stringify({ pid: process.pid, url }));
    started.add(() => rm(runningFile, { force: true }));
    const fresh = !existsSync(path.join(home, 'database'));
    say(fresh ? 'Making the database' : 'Starting the database');
    const database = await keepDatabase(started);
    const passwords = await standInPasswords(home);
    say('Starting the stand-ins');
    await keepRunning(started, 'The stand-ins', async () => {
      const { child, ready } = await forkReady<{ kind: string; reason?: string }>(standinsFile, process.env, {
        base,
        ...passwords,
        nurserySends: await typedSends(home),
      });
      if (ready.kind !== 'ready') throw new Error(`The stand-ins did not start: ${ready.reason}`);
      return child;
    });
    say('Starting the service');
    await keepRunning(started, 'The service', async () => {
      const { child, ready } = await forkReady<FromService>(serviceFile, serviceEnv(database));
      if (ready.kind === 'refused') throw new StartTrouble(ready.reason);
      return child;
    });
    if (await putDemonstration(home, { url, base, passwords })) say('The demonstration site is in place');
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
  // Beside the console's port, so that two services on one machine do not meet.
  CAUSALIS_UPLOAD_PORT: process.env.CAUSALIS_UPLOAD_PORT ?? String(port + 21),
  CAUSALIS_UPLOAD_DATA_PORTS: process.env.CAUSALIS_UPLOAD_DATA_PORTS ?? `${port + 50}-${port + 99}`,
  CAUSALIS_MAIL_PORT: process.env.CAUSALIS_MAIL_PORT ?? String(port + 25),
  CAUSALIS_LOG: process.env.CAUSALIS_LOG ?? 'warn',
});

/** Starts the database, and starts it again on the same port when it ends by itself: the service finds it again. */
async function keepDatabase(started: Started): Promise<PrivateDatabase> {
  const first = await startDatabase(home);
  let database = first;
  const watch = () =>
    void database.ended.then((why) => {
      if (started.ending) return;
      say(`The database ended (${why}) and is started again`);
      again();
    });
  const again = () => {
    if (started.ending) return;
    startDatabase(home, first.port).then(
      (next) => {
        database = next;
        watch();
      },
      (error: Error) => {
        say(`The database did not start: ${error.message}`);
        setTimeout(again, againMs * 5);
      },
    );
  };
  watch();
  started.add(() => database.stop());
  return first;
}

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

const standIn = (of: number) => `http://${host}:${base + of}`;

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
  Stand-ins      camera ${standIn(1)}   lamp ${standIn(121)}
                 mailbox ${standIn(124)}  desk ${standIn(126)}

Somebody walks up the drive within half a minute. Ctrl-C ends everything.`);
}
