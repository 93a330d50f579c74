import { createServer as createWeb, type Server as WebServer } from 'node:http';
import { createServer, type Server, type Socket } from 'node:net';
import { Aedes } from 'aedes';
import { listen } from './listen.js';
import { markupFree, page, Repeats } from './page.js';

export interface LampOptions {
  /** Port of the MQTT broker. */
  readonly port: number;
  readonly pagePort: number;
  readonly topic: string;
  readonly title: string;
  /** So many of the last changes are kept. */
  readonly keep?: number;
}

/** A change of the lamp. */
export interface LampChange {
  readonly at: number;
  readonly power: boolean;
  readonly by: 'command' | 'hand';
  readonly key: string;
  readonly times: number;
}

const usuallyKept = 200;

/** A simulated lamp behind its own MQTT broker; it tells its state, retained, at `<topic>/is`, and shows it on a page. */
export class Lamp {
  readonly port: number;
  readonly pagePort: number;
  readonly changes: LampChange[] = [];
  power = false;
  private readonly options: LampOptions;
  private readonly broker: Aedes;
  private readonly server: Server;
  private readonly web: WebServer;
  private readonly sockets: Set<Socket>;
  private readonly repeats = new Repeats();

  private constructor(options: LampOptions, broker: Aedes, server: Server, web: WebServer, sockets: Set<Socket>, ports: [number, number]) {
    this.options = options;
    this.broker = broker;
    this.server = server;
    this.web = web;
    this.sockets = sockets;
    [this.port, this.pagePort] = ports;
    web.on('request', (request, response) => {
      if (request.method === 'POST') {
        this.byHand(!this.power);
        response.writeHead(303, { location: '/' }).end();
      } else response.setHeader('content-type', 'text/html; charset=utf-8').end(this.page());
    });
  }

  static async start(options: LampOptions): Promise<Lamp> {
    const broker = await Aedes.createBroker();
    const sockets = new Set<Socket>();
    const server = createServer((socket) => {
      sockets.add(socket);
      socket.on('close', () => sockets.delete(socket));
      broker.handle(socket);
    });
    const web = createWeb();
    const ports: [number, number] = [await listen(server, options.port), await listen(web, options.pagePort)];
    const lamp = new Lamp(options, broker, server, web, sockets, ports);
    await new Promise<void>((resolve) =>
      broker.subscribe(
        options.topic,
        ({ payload }, done) => {
          lamp.command(payload.toString());
          done();
        },
        () => resolve(),
      ),
    );
    lamp.tell();
    return lamp;
  }

  /** Somebody at the switch. */
  byHand(power: boolean): void {
    this.change(power, 'hand', '');
  }

  async stop(): Promise<void> {
    for (const socket of this.sockets) socket.destroy();
    this.web.closeAllConnections();
    await Promise.all([
      new Promise((resolve) => this.server.close(resolve)),
      new Promise((resolve) => this.web.close(resolve)),
      new Promise<void>((resolve) => this.broker.close(resolve)),
    ]);
  }

  private command(payload: string): void {
    try {
      const { power, key } = JSON.parse(payload) as { power?: unknown; key?: unknown };
      if (typeof power === 'boolean') this.change(power, 'command', String(key ?? ''));
    } catch {
      // A lamp does not answer what it does not understand.
    }
  }

  private change(power: boolean, by: LampChange['by'], key: string): void {
    this.power = power;
    this.changes.push({ at: Date.now(), power, by, key, times: key ? this.repeats.count(key) : 1 });
    if (this.changes.length > (this.options.keep ?? usuallyKept)) this.changes.shift();
    this.tell();
  }

  private tell(): void {
    this.broker.publish(
      {
        cmd: 'publish',
        dup: false,
        qos: 1,
        retain: true,
        topic: `${this.options.topic}/is`,
        payload: Buffer.from(JSON.stringify({ power: this.power })),
      },
      () => undefined,
    );
  }

  private page(): string {
    const shown = this.changes.map(
      ({ at, power, by, key, times }) =>
        `<article><time>${new Date(at).toISOString()}</time> ${power ? 'on' : 'off'} by ${by}${times > 1 ? ` <b class="repeat">repeat, ${times} times with this key</b>` : ''} <small>${markupFree(key)}</small></article>`,
    );
    const lamp = `<div class="lamp ${this.power ? 'on' : ''}" role="img" aria-label="${this.power ? 'on' : 'off'}"></div><form method="post"><button>Switch by hand</button></form>`;
    return page(this.options.title, `A simulated lamp. It is ${this.power ? 'on' : 'off'}.`, lamp + shown.reverse().join(''));
  }
}
