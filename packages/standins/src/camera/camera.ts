import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer as createSecureServer } from 'node:https';
import { toJpeg } from '../gatehouse/jpeg.js';
import { listen } from '../listen.js';
import { page } from '../page.js';
import { type Conditions, conditionNames } from '../places/conditions.js';
import { feetAt, type Place } from '../places/place.js';
import { type PlaceName, placeAt } from '../places/registry.js';
import { DiscoveryResponder } from './discovery.js';
import type { StreamCodec } from './encoder.js';
import { SteeredHead } from './head.js';
import { OnvifDevice } from './onvif.js';
import type { OfferedProfile } from './onvif-parts.js';
import { RtspServer, type StreamSource } from './rtsp.js';
import { Sender, type Sends, type SendWay } from './sender.js';
import { SignIn, type SignInWay } from './sign-in.js';

export interface CameraOptions {
  readonly port: number;
  readonly user: string;
  readonly password: string;
  readonly signIn?: SignInWay;
  readonly seed?: number;
  /** What it looks at; several are the channels of a recorder. */
  readonly place?: PlaceName | readonly PlaceName[];
  /** Hour of the day (0 to 24) in the scene; the clock of the garden unless given. */
  readonly hour?: () => number;
  /** Port of its RTSP server: with it, it is an ONVIF device too. */
  readonly rtspPort?: number;
  readonly codec?: StreamCodec;
  /** Its head can be steered. */
  readonly steered?: boolean;
  /** By how much its clock is ahead, ms. */
  readonly clockMs?: number;
  /** Its serial number, by which it is known at any address. */
  readonly serial?: string;
  /** Key and certificate: it speaks HTTPS alone. */
  readonly tls?: { readonly key: string; readonly cert: string };
  /** It is old: all it can is send, while somebody is in its picture. */
  readonly sends?: Sends;
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
type SizeName = keyof typeof sizes;

/** The scene is planned this far ahead and then begins anew. */
const lengthMs = 6 * 3_600_000;
const boundary = 'causalis-stand-in';
const mostBody = 256 * 1024;

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

type Painter = Pick<Place, 'paint' | 'visits'>;

/**
 * A simulated camera, or a recorder with several channels: multipart JPEG at `/small` and `/large`, one still at
 * `/small.jpg` and `/large.jpg`, RTSP and ONVIF where it has a port for them. A recorder's channels begin with their
 * place: `/palm-house/small`. Pictures are drawn as they are asked for.
 */
export class SimulatedCamera {
  readonly port: number;
  /** What happens to it, changed at any time: by a test, or at `/set?covered=on`. */
  readonly conditions: Conditions = {};
  onvif: OnvifDevice | undefined;
  private rtsp: RtspServer | undefined;
  private responder: DiscoveryResponder | undefined;
  private readonly server: Server;
  private readonly options: CameraOptions;
  private readonly signIn: SignIn;
  private readonly head: SteeredHead | undefined;
  readonly sender: Sender | undefined;
  private readonly painters = new Map<string, Promise<Painter>>();
  private readonly ready = new Map<string, Painter>();
  private readonly watching = new Map<ServerResponse, NodeJS.Timeout>();
  private readonly began = Date.now();
  private readonly channels: readonly PlaceName[];
  /** What it sends instead of its next pictures: for seeing what a watcher makes of it. */
  private instead: Buffer[] = [];

  private constructor(options: CameraOptions, server: Server, port: number) {
    this.options = options;
    this.server = server;
    this.port = port;
    this.channels = [options.place ?? 'gatehouse'].flat();
    this.signIn = new SignIn(options.signIn ?? 'digest', options.user, options.password);
    this.head = options.steered ? new SteeredHead() : undefined;
    this.sender = options.sends ? this.makeSender(options.sends) : undefined;
    server.on('request', (request, response) => void this.answer(request, response).catch(() => response.destroy()));
  }

  static async start(options: CameraOptions): Promise<SimulatedCamera> {
    const server = options.tls ? createSecureServer(options.tls) : createServer();
    const camera = new SimulatedCamera(options, server, await listen(server, options.port));
    if (options.rtspPort !== undefined) await camera.startStreams(options.rtspPort);
    return camera;
  }

  /** Port of its streams. */
  get rtspPort(): number {
    return this.rtsp?.port ?? 0;
  }

  /** Sends something else in the place of the next pictures. */
  sendInstead(...bytes: Buffer[]): void {
    this.instead.push(...bytes);
  }

  /** Ends every connection, as a camera does that restarts. */
  dropAll(): void {
    for (const response of this.watching.keys()) response.destroy();
    this.rtsp?.dropAll();
  }

  async stop(): Promise<void> {
    this.sender?.stop();
    this.dropAll();
    await Promise.all([this.rtsp?.stop(), this.responder?.stop()]);
    this.server.closeAllConnections();
    await new Promise((resolve) => this.server.close(resolve));
  }

  private makeSender(sends: Sends): Sender {
    const [channel] = this.channels;
    const { width, height } = sizes.small;
    void this.painter(channel, 'small');
    const somebody = () => this.ready.get(`${channel}/small`)?.visits.some((visit) => feetAt(visit, this.now)) ?? false;
    const picture = async () => toJpeg((await this.painter(channel, 'small')).paint(this.now), width, height);
    const sender = new Sender(channel, somebody, picture);
    sender.to = sends;
    return sender;
  }

  private async startStreams(port: number): Promise<void> {
    const { user, password, codec = 'h264', place = 'gatehouse', clockMs = 0 } = this.options;
    this.rtsp = await RtspServer.start(port, (name) => this.stream(name, codec), this.signIn);
    const profiles = this.channels.flatMap((channel) => (['large', 'small'] as const).map((size) => this.profile(channel, size, codec)));
    this.onvif = new OnvifDevice({
      user,
      password,
      profiles,
      clockMs,
      serial: this.options.serial ?? `Q-${[place].flat().join('-')}`,
      model: this.channels.length > 1 ? `Recorder of ${this.channels.length}` : 'Camera',
      ...(this.head ? { head: this.head } : {}),
    });
    const { onvif } = this;
    this.responder = await DiscoveryResponder.start({
      endpoint: onvif.endpoint,
      name: this.channels.join(', '),
      model: onvif.options.model,
      address: () => `${this.scheme}://127.0.0.1:${this.port}/onvif/device_service`,
    });
  }

  private profile(channel: PlaceName, size: SizeName, codec: StreamCodec): OfferedProfile {
    const { width, height, everyMs } = sizes[size];
    const name = this.channels.length > 1 ? `${channel}/${size}` : size;
    return {
      token: `${channel}-${size}`,
      name: `${channel} ${size}`,
      source: channel,
      codec: codec === 'h265' ? 'H265' : codec === 'jpeg' ? 'JPEG' : 'H264',
      width,
      height,
      rate: Math.round(1000 / everyMs),
      stream: `rtsp://127.0.0.1:${this.rtsp?.port}/${name}`,
      still: `${this.scheme}://127.0.0.1:${this.port}/${name}.jpg`,
    };
  }

  /** Which channel and size a name means. */
  private find(name: string): { readonly channel: PlaceName; readonly size: SizeName } | undefined {
    const [first, second] = name.split('/');
    const [channel, size] = second === undefined ? [this.channels[0], first] : [this.channels.find((one) => one === first), second];
    return channel && (size === 'small' || size === 'large') ? { channel, size } : undefined;
  }

  private stream(name: string, codec: StreamCodec): StreamSource | undefined {
    const found = this.find(name);
    if (!found) return undefined;
    const key = `${found.channel}/${found.size}`;
    void this.painter(found.channel, found.size);
    return { ...sizes[found.size], codec, paint: () => this.ready.get(key)?.paint(this.now) };
  }

  private get scheme(): string {
    return this.options.tls ? 'https' : 'http';
  }

  private get now(): number {
    return (Date.now() - this.began) % lengthMs;
  }

  private painter(channel: PlaceName, size: SizeName): Promise<Painter> {
    const key = `${channel}/${size}`;
    const known = this.painters.get(key);
    if (known) return known;
    const { width, height } = sizes[size];
    const options = {
      seed: this.options.seed ?? 3,
      width,
      height,
      lengthMs,
      hourAt: this.options.hour ?? gardenHour,
      conditions: this.conditions,
    };
    const made = placeAt(channel, options).then((place) => {
      const painter: Painter = {
        visits: place.visits,
        paint: (t) => (this.head ? this.head.look(place.paint(t), width, height) : place.paint(t)),
      };
      this.ready.set(key, painter);
      return painter;
    });
    this.painters.set(key, made);
    return made;
  }

  private async answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const url = new URL(request.url ?? '/', 'http://camera');
    const name = url.pathname.slice(1);
    if (name === '') return this.greet(response);
    if (name === 'set') return this.set(url.searchParams, response);
    if (name === 'tell' && this.onvif) return this.tell(this.onvif, url.searchParams, response);
    if (name === 'sends' && this.sender) return await this.setSends(this.sender, url.searchParams, request, response);
    if (name.startsWith('onvif/') && this.onvif && request.method === 'POST')
      return await this.onvif.answer(request, response, await bodyOf(request));
    const found = this.find(name.replace(/\.jpg$/, ''));
    if (!found) {
      response.writeHead(404).end();
      return;
    }
    if (!this.signIn.check(request, response)) return;
    const painter = await this.painter(found.channel, found.size);
    const { width, height, everyMs } = sizes[found.size];
    const next = () => this.instead.shift() ?? toJpeg(painter.paint(this.now), width, height);
    if (name.endsWith('.jpg')) {
      const jpeg = next();
      response.writeHead(200, { 'content-type': 'image/jpeg', 'content-length': jpeg.length, 'cache-control': 'no-store' }).end(jpeg);
    } else this.send(response, next, everyMs);
  }

  private greet(response: ServerResponse): void {
    const links = this.channels.flatMap((channel) =>
      ['small', 'large'].map((size) => {
        const way = this.channels.length > 1 ? `/${channel}/${size}` : `/${size}`;
        return `<a href="${way}">${way}</a> <a href="${way}.jpg">still</a>`;
      }),
    );
    const switches = conditionNames.map((one) => `${one}: <a href="/set?${one}=on">on</a> <a href="/set?${one}=off">off</a>`).join(' · ');
    const says = this.onvif
      ? [
          ['motion', this.channels[0]],
          ['input', 'input-1'],
        ]
          .map(
            ([topic, source]) =>
              `${topic}: <a href="/tell?${topic}=${source}&state=on">on</a> <a href="/tell?${topic}=${source}&state=off">off</a>`,
          )
          .join(' · ')
      : '';
    const sends = (['upload', 'mail'] as const).flatMap((way) => {
      const to = this.sender?.to[way];
      return to
        ? [`${way} to ${to.user} at ${to.host}:${to.port} (last: ${this.sender?.last[way] ?? 'none'}) <a href="/sends?now=${way}">now</a>`]
        : [];
    });
    response.setHeader('content-type', 'text/html; charset=utf-8');
    response.end(
      page(
        `Camera ${this.channels.join(', ')}`,
        'A simulated camera of Quillmere Botanic Garden. Its pictures ask for user and password.',
        `<p>${links.join(' · ')}</p><p>What happens to it: ${switches}</p>${this.rtsp ? `<p>RTSP at port ${this.rtsp.port}, ONVIF at /onvif/device_service</p><p>It says by itself: ${says}</p>` : ''}${sends.length > 0 ? `<p>It sends: ${sends.join(' · ')}</p>` : ''}`,
        60,
      ),
    );
  }

  private set(asked: URLSearchParams, response: ServerResponse): void {
    for (const name of conditionNames) if (asked.has(name)) this.conditions[name] = asked.get(name) === 'on';
    response.writeHead(303, { location: '/' }).end();
  }

  /** Lets the device say something by itself: `/tell?input=input-1&state=on`. */
  private tell(device: OnvifDevice, asked: URLSearchParams, response: ServerResponse): void {
    for (const topic of ['motion', 'inside', 'crossed', 'tamper', 'input', 'relay'] as const) {
      const source = asked.get(topic);
      if (source) device.tell(topic, source, asked.get('state') !== 'off');
    }
    response.writeHead(303, { location: '/' }).end();
  }

  /** What it sends to: typed in as JSON; or, with `now`, a sending at once. */
  private async setSends(sender: Sender, asked: URLSearchParams, request: IncomingMessage, response: ServerResponse): Promise<void> {
    if (request.method === 'POST') sender.to = JSON.parse(await bodyOf(request)) as Sends;
    const now = asked.get('now');
    if (now === 'upload' || now === 'mail') await sender.send(now satisfies SendWay);
    response.writeHead(303, { location: '/' }).end();
  }

  private send(response: ServerResponse, picture: () => Buffer, everyMs: number): void {
    response.writeHead(200, { 'content-type': `multipart/x-mixed-replace; boundary=${boundary}`, 'cache-control': 'no-store' });
    const next = () => {
      // One that does not take its pictures misses some; nothing piles up.
      if (response.writableLength > 0) return;
      const jpeg = picture();
      response.write(`--${boundary}\r\nContent-Type: image/jpeg\r\nContent-Length: ${jpeg.length}\r\n\r\n`);
      response.write(Buffer.concat([jpeg, Buffer.from('\r\n')]));
    };
    this.watching.set(response, setInterval(next, everyMs));
    next();
    response.on('close', () => {
      clearInterval(this.watching.get(response));
      this.watching.delete(response);
    });
  }
}

async function bodyOf(request: IncomingMessage): Promise<string> {
  const parts: Buffer[] = [];
  let length = 0;
  for await (const part of request) {
    length += (part as Buffer).length;
    if (length > mostBody) throw new Error('too much');
    parts.push(part as Buffer);
  }
  return Buffer.concat(parts).toString('utf8');
}
