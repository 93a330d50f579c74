import type { FeedFacts, OpenFeed } from './contract.js';
import { openFfmpeg } from './ffmpeg.js';

const quoted = (text: string): string => `'${text.replaceAll("'", "'\\''")}'`;

/**
 * RTSP over TCP through ffmpeg. The address goes in as a list of one over standard input (ffmpeg's concat format), so
 * that user and password stand in nobody's list of processes.
 */
export function rtspPictures(
  { url, user, secret, everyMs }: { readonly url: string; readonly user?: string; readonly secret?: string; readonly everyMs: number },
  signal: AbortSignal,
  facts?: FeedFacts,
): AsyncIterable<Buffer> {
  const target = new URL(url);
  if (user !== undefined) {
    target.username = encodeURIComponent(user);
    target.password = encodeURIComponent(secret ?? '');
  }
  const list = [
    'ffconcat version 1.0',
    `file ${quoted(target.href)}`,
    'option rtsp_transport tcp',
    'option timeout 5000000',
    'option analyzeduration 400000',
    'option fflags nobuffer',
  ].join('\n');
  const args = ['-f', 'concat', '-safe', '0', '-protocol_whitelist', 'pipe,rtsp,rtp,tcp,tls', '-i', 'pipe:0'];
  return openFfmpeg({ args, stdin: `${list}\n` }, everyMs, signal, facts);
}

/** RTSP at an address of the document. */
export const openRtsp: OpenFeed<'rtsp'> = (feed, signal, facts) => rtspPictures(feed, signal, facts);
