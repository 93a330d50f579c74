import type { TLSSocket } from 'node:tls';
import { Agent, buildConnector, type Dispatcher, request } from 'undici';
import { type Credentials, FeedFailure, silenceMs } from './contract.js';
import { answerChallenge } from './http-auth.js';

const usual = { headersTimeout: silenceMs, bodyTimeout: silenceMs, keepAliveTimeout: 1_000, pipelining: 0 };
const connectMs = 5_000;
const agent = new Agent({ ...usual, connect: { timeout: connectMs } });

/** One agent for each certificate that is pinned. */
const pinned = new Map<string, Agent>();

/** Speaks to whoever shows this certificate, whoever has signed it, and to nobody else. */
function agentFor(certificate: string): Agent {
  const known = pinned.get(certificate);
  if (known) return known;
  // A line that is taken up again shows no certificate anew: each is made from the beginning.
  const connect = buildConnector({ timeout: connectMs, rejectUnauthorized: false, maxCachedSessions: 0 });
  const made = new Agent({
    ...usual,
    connect: (options, done) => {
      connect(options, (...answer) => {
        const [error, socket] = answer;
        if (error || !socket) return done(error as Error, null);
        // Over plain HTTP nothing is shown; over TLS only this one is the right one, and none is not.
        const secure = 'getPeerCertificate' in socket;
        const shown = secure ? (socket as TLSSocket).getPeerCertificate().fingerprint256 : undefined;
        if (!secure || shown === certificate) return done(null, socket);
        socket.destroy();
        return done(new FeedFailure('other-certificate', shown), null);
      });
    },
  });
  pinned.set(certificate, made);
  return made;
}

const certificateCodes = /CERT|SELF_SIGNED|UNABLE_TO_VERIFY|ERR_TLS/;

/** Why a camera could not be reached, as one of our codes. */
export function failureOf(error: unknown): FeedFailure {
  if (error instanceof FeedFailure) return error;
  const { code = (error as { cause?: { code?: string } }).cause?.code ?? '' } = error as { code?: string };
  if (code === 'ECONNREFUSED') return new FeedFailure('connection-refused');
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN') return new FeedFailure('host-unknown');
  if (code === 'UND_ERR_BODY_TIMEOUT') return new FeedFailure('no-pictures');
  if (certificateCodes.test(code)) return new FeedFailure('wrong-certificate', code);
  if (/TIMEOUT|TIMEDOUT|EHOSTUNREACH|ENETUNREACH/.test(code)) return new FeedFailure('no-answer');
  return new FeedFailure('connection-broken', (error as Error).message);
}

/** Lets go of an answer that nobody reads; that this breaks it off is no news. */
export function discard({ body }: Dispatcher.ResponseData): void {
  body.on('error', () => undefined).destroy();
}

export interface Ask extends Credentials {
  readonly url: string;
  readonly method?: 'GET' | 'POST';
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string;
}

/** Asks a camera over HTTP, and again with user and password when it wants to know who asks. */
export async function ask(
  { url, user, secret, certificate, method = 'GET', headers = {}, body }: Ask,
  signal: AbortSignal,
): Promise<Dispatcher.ResponseData> {
  const target = new URL(url);
  const send = (authorization?: string) =>
    request(target, {
      method,
      dispatcher: certificate === undefined ? agent : agentFor(certificate),
      signal,
      headers: { ...headers, ...(authorization ? { authorization } : {}) },
      ...(body === undefined ? {} : { body }),
    });
  const first = await send();
  if (first.statusCode !== 401 || user === undefined) return first;
  const challenge = [first.headers['www-authenticate'] ?? ''].flat().join(', ');
  if (challenge === '') return first;
  discard(first);
  const authorization = answerChallenge(challenge, method, target.pathname + target.search, user, secret ?? '');
  if (!authorization) throw new FeedFailure('not-authorised', 'it asks for a way of signing in that is not known');
  return await send(authorization);
}

/** Refuses an answer that is none: each status has a reason of its own. */
export function refuseStatus(status: number): void {
  if (status === 200) return;
  if (status === 401 || status === 403) throw new FeedFailure('not-authorised');
  if (status === 404) throw new FeedFailure('not-found');
  throw new FeedFailure('status-refused', String(status));
}

/** A body of at most so many bytes. */
export async function readBody({ body }: Dispatcher.ResponseData, mostBytes: number): Promise<Buffer> {
  const parts: Buffer[] = [];
  let length = 0;
  for await (const part of body as AsyncIterable<Buffer>) {
    length += part.length;
    if (length > mostBytes) throw new FeedFailure('wrong-type', `an answer of more than ${mostBytes} bytes`);
    parts.push(part);
  }
  return Buffer.concat(parts);
}
