import { FeedFailure, type OpenFeed } from './contract.js';
import { ask, discard, failureOf, refuseStatus } from './http.js';
import { PartCutter } from './parts.js';

/** Multipart JPEG over HTTP, with basic and digest authentication. */
export const openMultipart: OpenFeed<'multipart'> = async function* ({ url, user, secret, certificate }, signal, facts) {
  try {
    const answer = await ask({ url, user, secret, certificate, headers: { accept: 'multipart/x-mixed-replace' } }, signal);
    const type = String(answer.headers['content-type'] ?? '');
    const boundary = /^multipart\/[^;]+;.*boundary="?([^";]+)"?/i.exec(type)?.[1];
    if (answer.statusCode !== 200 || !boundary) {
      discard(answer);
      refuseStatus(answer.statusCode);
      throw new FeedFailure('wrong-type', type.slice(0, 80));
    }
    if (facts) facts.codec = 'mjpeg';
    const cutter = new PartCutter(boundary);
    for await (const bytes of answer.body) yield* cutter.push(bytes);
    throw new FeedFailure('connection-broken', 'the camera ended the stream');
  } catch (error) {
    if (signal.aborted) return;
    throw failureOf(error);
  }
};
