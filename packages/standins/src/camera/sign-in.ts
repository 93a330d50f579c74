import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';

/** How a camera asks who one is. */
export type SignInWay = 'none' | 'basic' | 'digest';

const md5 = (text: string) => createHash('md5').update(text).digest('hex');
const same = (a: string, b: string) => a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));

/** Basic (RFC 7617) and digest (RFC 7616, MD5, with qop and without) sign-in as cameras do it, for HTTP and RTSP. */
export class SignIn {
  private readonly nonce = randomBytes(12).toString('hex');
  private readonly way: SignInWay;
  private readonly user: string;
  private readonly password: string;

  constructor(way: SignInWay, user: string, password: string) {
    this.way = way;
    this.user = user;
    this.password = password;
  }

  /** What is answered to one who has not said who they are. */
  get challenge(): string {
    return this.way === 'basic' ? 'Basic realm="gatehouse"' : `Digest realm="gatehouse", qop="auth", nonce="${this.nonce}", algorithm=MD5`;
  }

  /** Whether an `Authorization` is right for a method and an address. */
  allows(header: string, method: string, uri: string): boolean {
    if (this.way === 'none') return true;
    if (this.way === 'basic') return same(header, `Basic ${Buffer.from(`${this.user}:${this.password}`).toString('base64')}`);
    return this.digest(header, method, uri);
  }

  /** True when the request may pass; otherwise it has been answered. */
  check(request: IncomingMessage, response: ServerResponse): boolean {
    if (this.allows(request.headers.authorization ?? '', request.method ?? 'GET', request.url ?? '/')) return true;
    response.writeHead(401, { 'www-authenticate': this.challenge }).end();
    return false;
  }

  private digest(header: string, method: string, uri: string): boolean {
    if (!header.startsWith('Digest ')) return false;
    const given = Object.fromEntries(
      [...header.matchAll(/(\w+)=(?:"([^"]*)"|([^\s,]+))/g)].map(([, name, quoted, plain]) => [name, quoted ?? plain]),
    );
    if (given.username !== this.user || given.nonce !== this.nonce) return false;
    // RTSP clients name the address of the stream or of one of its tracks; HTTP ones the path.
    if (!uri.startsWith('rtsp') && given.uri !== uri) return false;
    const [first, act] = [md5(`${this.user}:gatehouse:${this.password}`), md5(`${method}:${given.uri}`)];
    const right = given.qop
      ? md5(`${first}:${given.nonce}:${given.nc}:${given.cnonce}:${given.qop}:${act}`)
      : md5(`${first}:${given.nonce}:${act}`);
    return same(given.response ?? '', right);
  }
}
