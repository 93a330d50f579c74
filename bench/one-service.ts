import type { ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { CausalisClient } from '@causalis/client';
import { type FromService, serviceFile, type ToService } from '@causalis/service';
import { endChild, forkReady, freePort, type PrivateDatabase, startDatabase } from '@causalis/start';

/** A service with a database of its own, which both can be killed and come back where they were. */
export class OneService {
  readonly home = mkdtempSync(path.join(tmpdir(), 'causalis-bench-'));
  database!: PrivateDatabase;
  url = '';
  private child: ChildProcess | undefined;
  private port = 0;
  private shifted = 0;

  static start(): Promise<OneService> {
    return OneService.prepared(async () => undefined);
  }

  /** `prepare` works on the database before the service is there. */
  static async prepared(prepare: (url: string) => Promise<void>): Promise<OneService> {
    const one = new OneService();
    one.database = await startDatabase(one.home);
    await prepare(one.database.url);
    one.port = await freePort();
    await one.up();
    return one;
  }

  /** Starts the service; resolves with the ms until it was ready. */
  async up(): Promise<number> {
    const began = performance.now();
    const env = {
      PATH: process.env.PATH,
      NODE_ENV: 'production',
      CAUSALIS_HOME: this.home,
      CAUSALIS_DATABASE_URL: this.database.url,
      CAUSALIS_PORT: String(this.port),
      CAUSALIS_LOG: process.env.CAUSALIS_LOG ?? 'silent',
    };
    const first: ToService[] = this.shifted > 0 ? [{ kind: 'shift', shift: { wall: this.shifted, steady: this.shifted } }] : [];
    const { child, ready } = await forkReady<FromService>(serviceFile, env, ...first);
    if (ready.kind !== 'ready') throw new Error(ready.kind === 'refused' ? ready.reason : 'the service did not say that it is ready');
    this.child = child;
    this.url = ready.url;
    return performance.now() - began;
  }

  get client(): CausalisClient {
    return new CausalisClient({ base: this.url, token: this.token });
  }

  get token(): string {
    return (JSON.parse(readFileSync(path.join(this.home, 'login.json'), 'utf8')) as { token: string }).token;
  }

  get pid(): number {
    return this.child?.pid ?? 0;
  }

  /** Ends the service as if the power had gone. */
  async kill(): Promise<void> {
    const gone = new Promise((resolve) => this.child?.once('exit', resolve));
    if (this.child?.kill('SIGKILL')) await gone;
  }

  /** Tells the service something over its test channel, and goes on at once. */
  tell(message: ToService): void {
    if (this.child?.connected) this.child.send(message, () => undefined);
  }

  gone(): Promise<unknown> {
    return new Promise((resolve) => this.child?.once('exit', resolve));
  }

  /** Moves both clocks on. */
  after(ms: number): void {
    this.shifted += ms;
    this.tell({ kind: 'shift', shift: { wall: this.shifted, steady: this.shifted } });
  }

  /** Kills the database, and has it back on the same port after some time. */
  async killDatabase(awayMs: number): Promise<void> {
    process.kill(this.database.pid, 'SIGKILL');
    await this.database.ended;
    await new Promise((resolve) => setTimeout(resolve, awayMs));
    this.database = await startDatabase(this.home, this.database.port);
  }

  async remove(): Promise<void> {
    if (this.child) await endChild(this.child);
    await this.database.stop();
    rmSync(this.home, { recursive: true, force: true });
  }
}
