import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';

/** A system that is called and answers at once; it notes when the first byte of each call came. */
export class Receiver {
  /** Times (performance.now) by the event that a call hangs on. */
  readonly came = new Map<string, number>();
  count = 0;
  private readonly server: Server;
  private reached: { count: number; done: () => void } | undefined;

  private constructor(server: Server) {
    this.server = server;
    server.keepAliveTimeout = 60_000;
    server.on('request', (request, response) => {
      const at = performance.now();
      let body = '';
      request.on('data', (part: Buffer) => {
        body += part;
      });
      request.on('end', () => {
        response.end('taken');
        const event = /"event":"([0-9a-f-]{36})"/.exec(body)?.[1];
        if (event) this.came.set(event, at);
        this.count++;
        this.waiting.get(event ?? '')?.(at);
        if (this.reached && this.count >= this.reached.count) this.reached.done();
      });
    });
  }

  private readonly waiting = new Map<string, (at: number) => void>();

  static async open(): Promise<Receiver> {
    const server = createServer();
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    return new Receiver(server);
  }

  get port(): number {
    return (this.server.address() as AddressInfo).port;
  }

  /** When the call of an event came. */
  async of(event: string): Promise<number> {
    const known = this.came.get(event);
    if (known !== undefined) return known;
    return await new Promise((resolve) => this.waiting.set(event, resolve));
  }

  /** Resolves when so many calls have come since the last reset. */
  async has(count: number): Promise<void> {
    if (this.count >= count) return;
    await new Promise<void>((done) => {
      this.reached = { count, done };
    });
  }

  async close(): Promise<void> {
    this.server.closeAllConnections();
    await new Promise((resolve) => this.server.close(resolve));
  }
}
