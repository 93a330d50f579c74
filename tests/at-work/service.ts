import type { ChildProcess } from 'node:child_process';
import { mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { CausalisClient } from '@causalis/client';
import type { Chain, StreamMessage } from '@causalis/contract';
import { type ClockShift, type FromService, type Moment, serviceFile, type ToService } from '@causalis/service';
import { endChild, forkReady } from '@causalis/start';
import { freshDatabase } from './database.js';

export const site = 'quillmere';
/** What has not come by then does not come. */
const patienceMs = Number(process.env.CAUSALIS_PATIENCE_MS ?? 60_000);

/** The real service in a process of its own, on loopback, with a data folder and a database of its own. */
export class ServiceAtWork {
  client!: CausalisClient;
  url = '';
  token = '';
  readonly home: string;
  private readonly database: { url: string; drop: () => Promise<void> };
  private child!: ChildProcess;
  private shifted = 0;
  private jumped = 0;
  /** Settings beside the usual ones, for the next start. */
  env: Record<string, string> = {};
  private port = 0;

  private constructor(home: string, database: { url: string; drop: () => Promise<void> }) {
    this.home = home;
    this.database = database;
  }

  /** `prepare` puts into the data folder what is to be there already. */
  static async start(
    databaseUrl?: string,
    prepare?: (home: string) => Promise<void>,
    env: Record<string, string> = {},
  ): Promise<ServiceAtWork> {
    const home = await mkdtemp(path.join(tmpdir(), 'causalis-home-'));
    await prepare?.(home);
    const database = databaseUrl ? { url: databaseUrl, drop: async () => undefined } : await freshDatabase();
    const service = new ServiceAtWork(home, database);
    service.env = env;
    await service.up();
    return service;
  }

  /** Starts the process; after an end it comes back on the same port. It can be made to end again at a moment of its start. */
  async up(endAt?: Moment): Promise<void> {
    const env = {
      PATH: process.env.PATH,
      CAUSALIS_HOME: this.home,
      CAUSALIS_DATABASE_URL: this.database.url,
      CAUSALIS_PORT: String(this.port),
      CAUSALIS_UPLOAD_PORT: '0',
      CAUSALIS_MAIL_PORT: '0',
      CAUSALIS_LOG: process.env.CAUSALIS_LOG ?? 'silent',
    };
    const first: ToService[] = [
      ...(this.shifted > 0 || this.jumped !== 0 ? [{ kind: 'shift' as const, shift: this.shift }] : []),
      ...(endAt ? [{ kind: 'end-at' as const, moment: endAt }] : []),
    ];
    const { child, ready } = await forkReady<FromService>(serviceFile, { ...env, ...this.env }, ...first);
    if (ready.kind !== 'ready') throw new Error(ready.kind === 'refused' ? ready.reason : 'the service did not say that it is ready');
    this.child = child;
    this.url = ready.url;
    this.port = Number(new URL(ready.url).port);
    this.token = (JSON.parse(await readFile(path.join(this.home, 'login.json'), 'utf8')) as { token: string }).token;
    this.client = new CausalisClient({ base: this.url, token: this.token });
  }

  /** Ends the process in order. */
  async down(): Promise<void> {
    await endChild(this.child);
  }

  /** Ends the process as if the power had gone. */
  async kill(): Promise<void> {
    const gone = this.gone();
    this.child.kill('SIGKILL');
    await gone;
  }

  gone(): Promise<unknown> {
    return new Promise((resolve) => this.child.once('exit', resolve));
  }

  /** Lets the process end as if the power had gone when it passes a named moment. */
  async endAt(moment: Moment): Promise<{ gone: Promise<unknown> }> {
    const gone = this.gone();
    await this.tell({ kind: 'end-at', moment });
    return { gone };
  }

  /** Moves the wall clock alone. */
  async jump(ms: number): Promise<void> {
    this.jumped += ms;
    await this.tellShift();
  }

  /** Tells the process something over its test channel. */
  async say(message: ToService): Promise<void> {
    await this.tell(message);
  }

  /** Moves both clocks on. */
  async after(ms: number): Promise<void> {
    this.shifted += ms;
    await this.tellShift();
  }

  /** Where the log goes when a test wants to read it. */
  get logFile(): string {
    return this.env.CAUSALIS_LOG_FILE ?? '';
  }

  get databaseUrl(): string {
    return this.database.url;
  }

  get pid(): number {
    return this.child.pid ?? 0;
  }

  async remove(): Promise<void> {
    await this.down();
    await this.database.drop();
    await rm(this.home, { recursive: true, force: true });
  }

  /** Sends an event by hand and returns its id. */
  async send(type: string, subject: string, data: object = {}, id: string = crypto.randomUUID()): Promise<string> {
    const body = { specversion: '1.0', id, source: 'tests', type, subject, data };
    const { items } = await this.client.call('sendEvents', { params: { site }, body: body as never });
    return items[0].id;
  }

  async chain(id: string): Promise<Chain> {
    return await this.client.call('chain', { params: { site, id } });
  }

  /** The chain of an event as soon as it is as wanted: looked at after each message of the stream, never by the clock. */
  async chainWhen(id: string, wanted: (chain: Chain) => boolean): Promise<Chain> {
    return await this.when(
      () => this.chain(id),
      wanted,
      () => true,
    );
  }

  /** Reads again after each message of the stream that matters, until what is read is as wanted. */
  async when<T>(
    read: () => Promise<T>,
    wanted: (value: T) => boolean,
    matters: (message: StreamMessage) => boolean = () => true,
  ): Promise<T> {
    const end = new AbortController();
    const late = setTimeout(() => end.abort(new Error('waited in vain')), patienceMs);
    try {
      for await (const message of this.client.follow(site, end.signal)) {
        if (message.kind !== 'reset' && !matters(message)) continue;
        const value = await read();
        if (wanted(value)) return value;
      }
      throw new Error(`waited in vain; the last: ${JSON.stringify(await read(), null, 1)}`);
    } finally {
      clearTimeout(late);
      end.abort();
    }
  }

  private get shift(): ClockShift {
    return { wall: this.shifted + this.jumped, steady: this.shifted };
  }

  private async tellShift(): Promise<void> {
    await this.tell({ kind: 'shift', shift: this.shift });
  }

  /** Says something to the process, and waits until it has heard it, or has ended of it. */
  private async tell(message: ToService): Promise<void> {
    const { child } = this;
    const heard = new Promise<void>((resolve) => {
      const done = () => {
        child.off('message', done).off('exit', done);
        resolve();
      };
      child.on('message', done).on('exit', done);
    });
    this.child.send(message);
    await heard;
  }
}
