import { setTimeout as wait } from 'node:timers/promises';
import { type Credentials, FeedFailure, mostPictureBytes, type OpenFeed } from './contract.js';
import { ask, discard, failureOf, readBody, refuseStatus } from './http.js';

/** One picture from an address. */
export async function fetchStill(url: string, who: Credentials, signal: AbortSignal): Promise<Buffer> {
  const answer = await ask({ url, ...who, headers: { accept: 'image/jpeg' } }, signal);
  const type = String(answer.headers['content-type'] ?? '');
  if (answer.statusCode !== 200 || type.startsWith('multipart/')) {
    discard(answer);
    refuseStatus(answer.statusCode);
    throw new FeedFailure('wrong-type', type.slice(0, 80));
  }
  const bytes = await readBody(answer, mostPictureBytes);
  if (bytes[0] !== 0xff || bytes[1] !== 0xd8) throw new FeedFailure('wrong-type', type.slice(0, 80) || 'no picture');
  return bytes;
}

/** An address that answers with one JPEG, asked again as often as the feed says; the next only after the last has come. */
export const openStill: OpenFeed<'still'> = async function* ({ url, user, secret, certificate, everyMs }, signal, facts) {
  try {
    for (;;) {
      const began = performance.now();
      const picture = await fetchStill(url, { user, secret, certificate }, signal);
      if (facts) facts.codec = 'jpeg';
      yield picture;
      await wait(Math.max(20, everyMs - (performance.now() - began)), undefined, { signal });
    }
  } catch (error) {
    if (signal.aborted) return;
    throw failureOf(error);
  }
};
