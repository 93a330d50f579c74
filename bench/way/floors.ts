import { fork } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Connection } from 'mariadb';
import { Pool } from 'undici';
import { median } from '../figure.js';

/** One durable commit of one small row, ms, as a median: what the ledger cannot be faster than. */
export async function commitFloor(connection: Connection, n = 200): Promise<number> {
  await connection.query('CREATE TABLE IF NOT EXISTS floor (id INT AUTO_INCREMENT PRIMARY KEY, body VARCHAR(400) NOT NULL) ENGINE=InnoDB');
  const times: number[] = [];
  for (let i = 0; i < n; i++) {
    const began = performance.now();
    await connection.query('INSERT INTO floor (body) VALUES (?)', ['x'.repeat(300)]);
    times.push(performance.now() - began);
  }
  return median(times);
}

/** An HTTP server in a process of its own that does nothing but answer. */
export class EmptyServer {
  readonly port: number;
  private readonly end: () => void;

  private constructor(port: number, end: () => void) {
    this.port = port;
    this.end = end;
  }

  static async open(): Promise<EmptyServer> {
    const child = fork(fileURLToPath(new URL('./empty-server.js', import.meta.url)), [], {
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    });
    const port = await new Promise<number>((resolve) => child.once('message', (message) => resolve(message as number)));
    return new EmptyServer(port, () => child.kill());
  }

  /** One request and its answer, ms, as a median. */
  async roundTrip(n = 300): Promise<number> {
    const pool = new Pool(`http://127.0.0.1:${this.port}`, { connections: 1 });
    const times: number[] = [];
    for (let i = 0; i < n; i++) {
      const began = performance.now();
      await (await pool.request({ method: 'POST', path: '/', body: '{}', headers: { 'content-type': 'application/json' } })).body.text();
      times.push(performance.now() - began);
    }
    await pool.close();
    return median(times);
  }

  /** Requests a second with so many senders. */
  async rate(senders: number, ms: number): Promise<number> {
    const pool = new Pool(`http://127.0.0.1:${this.port}`, { connections: senders, pipelining: 1 });
    const rate = await rateOf(senders, ms, async () => {
      await (
        await pool.request({ method: 'POST', path: '/', body: '{"specversion":"1.0"}', headers: { 'content-type': 'application/json' } })
      ).body.text();
    });
    await pool.close();
    return rate;
  }

  close(): void {
    this.end();
  }
}

/** How often a job is done in a second by so many at once. */
export async function rateOf(senders: number, ms: number, job: () => Promise<void>): Promise<number> {
  const began = performance.now();
  let done = 0;
  const one = async () => {
    while (performance.now() - began < ms) {
      await job();
      done++;
    }
  };
  await Promise.all(Array.from({ length: senders }, one));
  return done / ((performance.now() - began) / 1000);
}

export const share = (values: readonly number[], part: number): number =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * part))];
