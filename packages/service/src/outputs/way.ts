import { lookup } from 'node:dns/promises';
import { connect, isIP, type Socket } from 'node:net';
import type { WayStep } from '@causalis/contract';
import { deadline } from '../deadline.js';

/** Takes the steps of the way to another side one by one, and keeps how long each took and whether it was passed. */
export class Way {
  readonly steps: WayStep[] = [];

  async take<T>(step: WayStep['step'], job: () => Promise<T>): Promise<T> {
    const began = performance.now();
    let passed = false;
    try {
      const result = await job();
      passed = true;
      return result;
    } finally {
      this.steps.push({ step, tookMs: Math.round((performance.now() - began) * 1000) / 1000, passed });
    }
  }
}

/** Finds a host and connects to it: two steps, because each fails for its own reasons. */
export async function connectTo(way: Way, host: string, port: number, signal: AbortSignal, patienceMs: number): Promise<Socket> {
  const address = isIP(host) ? host : (await way.take('name', () => lookup(host))).address;
  return await way.take(
    'connection',
    () =>
      new Promise<Socket>((resolve, reject) => {
        const socket = connect({ host: address, port, noDelay: true });
        const fail = (error: Error) => {
          limit.clear();
          socket.destroy();
          reject(error);
        };
        const limit = deadline(patienceMs, signal);
        const late = () => fail(Object.assign(new Error('no answer'), { code: 'ETIMEDOUT' }));
        limit.signal.addEventListener('abort', late, { once: true });
        socket.once('error', fail);
        socket.once('connect', () => {
          limit.clear();
          socket.off('error', fail);
          resolve(socket);
        });
      }),
  );
}
