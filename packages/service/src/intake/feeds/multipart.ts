import { Agent, type Dispatcher, request } from 'undici';
import { FeedFailure, type FeedOptions, type OpenFeed } from './contract.js';
import { answerChallenge } from './http-auth.js';
import { PartCutter } from './parts.js';

/** A camera that sends nothing for this long has stopped. */
const silenceMs = 10_000;
const agent = new Agent({
  connect: { timeout: 5_000 },
  headersTimeout: silenceMs,
  bodyTimeout: silenceMs,
  keepAliveTimeout: 1_000,
  pipelining: 0,
});

function failureOf(error: unknown): FeedFailure {
  if (error instanceof FeedFailure) return error;
  const code = (error as { code?: string }).code ?? (error as { cause?: { code?: string } }).cause?.code ?? '';
  if (code === 'ECONNREFUSED') return new FeedFailure('connection-refused');
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN') return new FeedFailure('host-unknown');
  if (code === 'UND_ERR_BODY_TIMEOUT') return new FeedFailure('no-pictures');
  if (/TIMEOUT|TIMEDOUT/.test(code)) return new FeedFailure('no-answer');
  return new FeedFailure('connection-broken', (error as Error).message);
}

/** Lets go of an answer that nobody reads; that this breaks it off is no news. */
function discard({ body }: Dispatcher.ResponseData): void {
  body.on('error', () => undefined).destroy();
}

async function ask({ url, user, password }: FeedOptions, signal: AbortSignal): Promise<Dispatcher.ResponseData> {
  const target = new URL(url);
  const get = (authorization?: string) =>
    request(target, {
      dispatcher: agent,
      signal,
      headers: { accept: 'multipart/x-mixed-replace', ...(authorization ? { authorization } : {}) },
    });
  const first = await get();
  if (first.statusCode !== 401 || user === undefined) return first;
  discard(first);
  const challenge = [first.headers['www-authenticate'] ?? ''].flat().join(', ');
  const authorization = answerChallenge(challenge, 'GET', target.pathname + target.search, user, password ?? '');
  if (!authorization) throw new FeedFailure('not-authorised', 'it asks for a way of signing in that is not known');
  return await get(authorization);
}

/** Multipart JPEG over HTTP, with basic and digest authentication. */
export const openMultipart: OpenFeed = async function* (options, signal) {
  try {
    const answer = await ask(options, signal);
    const status = answer.statusCode;
    const type = String(answer.headers['content-type'] ?? '');
    const boundary = /^multipart\/[^;]+;.*boundary="?([^";]+)"?/i.exec(type)?.[1];
    if (status !== 200 || !boundary) {
      discard(answer);
      if (status === 401 || status === 403) throw new FeedFailure('not-authorised');
      if (status === 404) throw new FeedFailure('not-found');
      throw status === 200 ? new FeedFailure('wrong-type', type.slice(0, 80)) : new FeedFailure('status-refused', String(status));
    }
    const cutter = new PartCutter(boundary);
    for await (const bytes of answer.body) yield* cutter.push(bytes);
    throw new FeedFailure('connection-broken', 'the camera ended the stream');
  } catch (error) {
    if (signal.aborted) return;
    throw failureOf(error);
  }
};
