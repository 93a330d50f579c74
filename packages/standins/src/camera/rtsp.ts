import { createServer, type Server, type Socket } from 'node:net';
import { toJpeg } from '../gatehouse/jpeg.js';
import { Encoder, type StreamCodec } from './encoder.js';
import { isPicture, Packer, unitPayloads } from './rtp.js';
import { jpegPayloads } from './rtp-jpeg.js';
import type { SignIn } from './sign-in.js';

/** What a stream shows. */
export interface StreamSource {
  readonly width: number;
  readonly height: number;
  readonly everyMs: number;
  readonly codec: StreamCodec;
  /** The picture of now, red, green and blue bytes; nothing when it is not there. */
  paint(): Buffer | undefined;
}

interface Request {
  readonly method: string;
  readonly uri: string;
  readonly headers: Readonly<Record<string, string>>;
}

const mostAhead = 512 * 1024;

/** An RTSP server (RFC 2326) that sends RTP over the same connection, as small cameras do. */
export class RtspServer {
  readonly port: number;
  private readonly server: Server;
  private readonly streams: (name: string) => StreamSource | undefined;
  private readonly signIn: SignIn;
  private readonly sockets = new Set<Socket>();

  private constructor(server: Server, port: number, streams: (name: string) => StreamSource | undefined, signIn: SignIn) {
    this.server = server;
    this.port = port;
    this.streams = streams;
    this.signIn = signIn;
    server.on('connection', (socket) => this.serve(socket));
  }

  static async start(port: number, streams: (name: string) => StreamSource | undefined, signIn: SignIn): Promise<RtspServer> {
    const server = createServer();
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject).listen(port, '127.0.0.1', resolve);
    });
    const address = server.address();
    return new RtspServer(server, typeof address === 'object' && address ? address.port : port, streams, signIn);
  }

  dropAll(): void {
    for (const socket of this.sockets) socket.destroy();
  }

  async stop(): Promise<void> {
    this.dropAll();
    await new Promise((resolve) => this.server.close(resolve));
  }

  private serve(socket: Socket): void {
    this.sockets.add(socket);
    const session = Math.random().toString(36).slice(2, 10).padEnd(8, '0');
    let kept: Buffer = Buffer.alloc(0);
    let end = (): void => undefined;
    socket.on('error', () => undefined);
    socket.on('close', () => {
      this.sockets.delete(socket);
      end();
    });
    const answer = (request: Request, status: string, headers: Record<string, string> = {}, body = '') => {
      const lines = Object.entries({
        CSeq: request.headers.cseq ?? '0',
        ...headers,
        ...(body ? { 'Content-Length': String(Buffer.byteLength(body)) } : {}),
      });
      socket.write(`RTSP/1.0 ${status}\r\n${lines.map(([name, value]) => `${name}: ${value}\r\n`).join('')}\r\n${body}`);
    };
    const take = (request: Request): unknown => {
      const { method, uri } = request;
      if (method === 'OPTIONS') return answer(request, '200 OK', { Public: 'OPTIONS, DESCRIBE, SETUP, PLAY, TEARDOWN, GET_PARAMETER' });
      if (!this.signIn.allows(request.headers.authorization ?? '', method, uri))
        return answer(request, '401 Unauthorized', { 'WWW-Authenticate': this.signIn.challenge });
      const stream = this.streams(nameOf(uri));
      if (!stream) return answer(request, '404 Not Found');
      switch (method) {
        case 'DESCRIBE':
          return answer(
            request,
            '200 OK',
            { 'Content-Type': 'application/sdp', 'Content-Base': `${uri.replace(/\/$/, '')}/` },
            describe(stream),
          );
        case 'SETUP':
          if (!/RTP\/AVP\/TCP/i.test(request.headers.transport ?? '')) return answer(request, '461 Unsupported Transport');
          return answer(request, '200 OK', { Transport: 'RTP/AVP/TCP;unicast;interleaved=0-1', Session: `${session};timeout=60` });
        case 'PLAY':
          answer(request, '200 OK', { Session: session, Range: 'npt=0.000-' });
          end();
          end = play(socket, stream);
          return undefined;
        case 'TEARDOWN':
          end();
          return answer(request, '200 OK', { Session: session });
        default:
          return answer(request, method === 'GET_PARAMETER' ? '200 OK' : '501 Not Implemented', { Session: session });
      }
    };
    socket.on('data', (bytes) => {
      kept = Buffer.concat([kept, bytes]);
      if (kept.length > 64 * 1024) socket.destroy();
      for (let found = cut(kept); found; found = cut(kept)) {
        kept = found.rest;
        if (found.request) take(found.request);
      }
    });
  }
}

const nameOf = (uri: string): string => {
  try {
    return new URL(uri).pathname.replace(/^\/|\/(track\d+)?$/g, '');
  } catch {
    return '';
  }
};

/** The next request, or the receiver's own reports over the same connection, which are passed over. */
function cut(kept: Buffer): { readonly request?: Request; readonly rest: Buffer } | undefined {
  if (kept[0] === 0x24) {
    if (kept.length < 4 || kept.length < 4 + kept.readUInt16BE(2)) return undefined;
    return { rest: kept.subarray(4 + kept.readUInt16BE(2)) };
  }
  const end = kept.indexOf('\r\n\r\n');
  if (end < 0) return undefined;
  const [first, ...lines] = kept.subarray(0, end).toString('latin1').split('\r\n');
  const [method = '', uri = ''] = first.split(' ');
  const headers = Object.fromEntries(
    lines.map((line) => [line.split(':')[0].trim().toLowerCase(), line.slice(line.indexOf(':') + 1).trim()]),
  );
  return { request: { method, uri, headers }, rest: kept.subarray(end + 4 + Number(headers['content-length'] ?? 0)) };
}

/** The session description (RFC 8866). */
function describe({ codec, everyMs }: StreamSource): string {
  const kind = payloadKind(codec);
  const coding = { h264: 'H264/90000', h265: 'H265/90000', jpeg: 'JPEG/90000', own: 'X-OWN/90000' }[codec];
  const more = codec === 'h264' ? ['a=fmtp:96 packetization-mode=1'] : [];
  const lines = [
    'v=0',
    'o=- 0 0 IN IP4 127.0.0.1',
    's=Stand-in',
    'c=IN IP4 0.0.0.0',
    't=0 0',
    `m=video 0 RTP/AVP ${kind}`,
    `a=rtpmap:${kind} ${coding}`,
    ...more,
  ];
  return `${[...lines, `a=framerate:${(1000 / everyMs).toFixed(1)}`, 'a=control:track1'].join('\r\n')}\r\n`;
}

/** JPEG has a payload type of its own (RFC 3551 §6). */
const payloadKind = (codec: StreamCodec): number => (codec === 'jpeg' ? 26 : 96);

/** Sends what a stream shows until it is ended. */
function play(socket: Socket, stream: StreamSource): () => void {
  const { codec, width, height } = stream;
  const packer = new Packer(payloadKind(codec));
  const send = (parts: readonly Buffer[], endsPicture: boolean) => {
    if (socket.destroyed || socket.writableLength > mostAhead) return;
    for (const packet of packer.pack(parts, endsPicture)) {
      const head = Buffer.from([0x24, 0, packet.length >> 8, packet.length & 255]);
      socket.write(Buffer.concat([head, packet]));
    }
  };
  const coder =
    codec === 'jpeg'
      ? { push: (rgb: Buffer) => send(jpegPayloads(toJpeg(rgb, width, height)), true), stop: () => undefined }
      : new Encoder(codec, stream, (nal) => send(unitPayloads(codec, nal), isPicture(codec, nal)));
  const timer = setInterval(() => {
    const rgb = stream.paint();
    if (rgb) coder.push(rgb);
  }, stream.everyMs);
  return () => {
    clearInterval(timer);
    coder.stop();
  };
}
