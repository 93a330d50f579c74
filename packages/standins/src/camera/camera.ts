import { createServer, type Server, type ServerResponse } from 'node:http';
import { toJpeg } from '../gatehouse/jpeg.js';
import { makeScene, type Scene } from '../gatehouse/scene.js';
import { listen } from '../listen.js';
import { page } from '../page.js';
import { SignIn, type SignInWay } from './sign-in.js';

export interface CameraOptions {
  readonly port: number;
  readonly user: string;
  readonly password: string;
  readonly signIn?: SignInWay;
  readonly seed?: number;
  /** Hour of the day (0 to 24) in the scene; the clock of the garden unless given. */
  readonly hour?: () => number;
}

interface Size {
  readonly width: number;
  readonly height: number;
  readonly everyMs: number;
}

const sizes: Record<'small' | 'large', Size> = {
  small: { width: 640, height: 360, everyMs: 200 },
  large: { width: 1280, height: 720, everyMs: 250 },
};

/** The scene is planned this far ahead and then begins anew. */
const lengthMs = 6 * 3_600_000;
const boundary = 'causalis-stand-in';

/** The hour of the day in the garden. */
export function gardenHour(): number {
  const parts = new Intl.DateTimeFormat('en-GB', {
    timeZone: 'Europe/Dublin',
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  }).formatToParts(new Date());
  const part = (type: string) => Number(parts.find((one) => one.type === type)?.value ?? 0);
  return part('hour') + part('minute') / 60;
}

/** The simulated `gatehouse` camera: multipart JPEG at `/small` and `/large`, each picture drawn as it is asked for. */
export class GatehouseCamera {
  readonly port: number;
  private readonly server: Server;
  private readonly options: CameraOptions;
  private readonly signIn: SignIn;
  private readonly scenes = new Map<string, Scene>();
  private readonly watching = new Map<ServerResponse, NodeJS.Timeout>();
  private readonly began = Date.now();
  /** What it sends instead of its next pictures: for seeing what a watcher makes of it. */
  private instead: Buffer[] = [];

  private constructor(options: CameraOptions, server: Server, port: number) {
    this.options = options;
    this.server = server;
    this.port = port;
    this.signIn = new SignIn(options.signIn ?? 'digest', options.user, options.password);
    server.on('request', (request, response) => {
      const name = (request.url ?? '/').slice(1);
      if (name === '') {
        response.setHeader('content-type', 'text/html; charset=utf-8');
        response.end(
          page(
            'Camera gatehouse',
            'A simulated camera at the drive of Quillmere Botanic Garden. Its pictures ask for user and password.',
            '<p><a href="/small">/small</a> · <a href="/large">/large</a></p>',
            60,
          ),
        );
      } else if (name !== 'small' && name !== 'large') response.writeHead(404).end();
      else if (this.signIn.check(request, response)) void this.send(response, name);
    });
  }

  static async start(options: CameraOptions): Promise<GatehouseCamera> {
    const server = createServer();
    return new GatehouseCamera(options, server, await listen(server, options.port));
  }

  /** Sends something else in the place of the next pictures. */
  sendInstead(...bytes: Buffer[]): void {
    this.instead.push(...bytes);
  }

  /** Ends every connection, as a camera does that restarts. */
  dropAll(): void {
    for (const response of this.watching.keys()) response.destroy();
  }

  async stop(): Promise<void> {
    this.dropAll();
    this.server.closeAllConnections();
    await new Promise((resolve) => this.server.close(resolve));
  }

  private async scene(name: 'small' | 'large'): Promise<Scene> {
    const known = this.scenes.get(name);
    if (known) return known;
    const hour = this.options.hour ?? gardenHour;
    const scene = await makeScene({ seed: this.options.seed ?? 3, ...sizes[name], lengthMs, hourAt: hour });
    this.scenes.set(name, scene);
    return scene;
  }

  private async send(response: ServerResponse, name: 'small' | 'large'): Promise<void> {
    const scene = await this.scene(name);
    response.writeHead(200, { 'content-type': `multipart/x-mixed-replace; boundary=${boundary}`, 'cache-control': 'no-store' });
    const { everyMs, width, height } = sizes[name];
    const next = () => {
      const t = (Date.now() - this.began) % lengthMs;
      // One that does not take its pictures misses some; nothing piles up.
      if (response.writableLength === 0) {
        const jpeg = this.instead.shift() ?? toJpeg(scene.paint(t), width, height);
        response.write(`--${boundary}\r\nContent-Type: image/jpeg\r\nContent-Length: ${jpeg.length}\r\n\r\n`);
        response.write(Buffer.concat([jpeg, Buffer.from('\r\n')]));
      }
    };
    this.watching.set(response, setInterval(next, everyMs));
    next();
    response.on('close', () => {
      clearInterval(this.watching.get(response));
      this.watching.delete(response);
    });
  }
}
