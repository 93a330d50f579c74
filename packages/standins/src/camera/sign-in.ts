import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';

/** How a camera asks who one is. */
export type SignInWay = 'none' | 'basic' | 'digest';

const md5 = (text: string) => createHash('md5').update(text).digest('hex');
const same = (a: string, b: string) => a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b));

/** Basic (RFC 7617) and digest (RFC 7616, MD5 with qop) sign-in as cameras do it. */
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

  /** True when the request may pass; otherwise it has been answered. */
  check(request: IncomingMessage, response: ServerResponse): boolean {
    const header = request.headers.authorization ?? '';
    const passes =
      this.way === 'none' || (this.way === 'basic' ? this.basic(header) : this.digest(header, request.method ?? 'GET', request.url ?? '/'));
    if (passes) return true;
    const challenge =
      this.way === 'basic' ? 'Basic realm="gatehouse"' : `Digest realm="gatehouse", qop="auth", nonce="${this.nonce}", algorithm=MD5`;
    response.writeHead(401, { 'www-authenticate': challenge }).end();
    return false;
  }

  private basic(header: string): boolean {
    return same(header, `Basic ${Buffer.from(`${this.user}:${this.password}`).toString('base64')}`);
  }

  private digest(header: string, method: string, path: string): boolean {
    if (!header.startsWith('Digest ')) return false;
    const given = Object.fromEntries(
      [...header.matchAll(/(\w+)=(?:"([^"]*)"|([^\s,]+))/g)].map(([, name, quoted, plain]) => [name, quoted ?? plain]),
    );
    if (given.username !== this.user || given.uri !== path || given.nonce !== this.nonce) return false;
    const right = md5(
      `${md5(`${this.user}:gatehouse:${this.password}`)}:${given.nonce}:${given.nc}:${given.cnonce}:${given.qop}:${md5(`${method}:${path}`)}`,
    );
    return same(given.response ?? '', right);
  }
}
