import type { PathsReport } from '@causalis/contract';
import type { ReadyFeed } from './feeds/contract.js';
import { probe } from './probe.js';
import { readyFeed } from './watchers.js';

/** So many are tried at a time, and each at most so long. */
const atOnce = 4;
const eachMs = 10_000;
/** So many of those that were late at a place that answers are tried once more, alone: a camera may allow few connections. */
const mostAgain = 4;
/** Ports where a host without one is tried. */
const usualPorts = { http: [80, 8080], rtsp: [554, 8554] } as const;

/** Addresses at which pictures are often found, in the order in which they are tried. */
const likely = {
  onvif: ['/onvif/device_service'],
  rtsp: ['/', '/stream', '/stream1', '/live', '/live/main', '/main', '/sub', '/large', '/small', '/video', '/h264', '/ch1', '/1'],
  multipart: ['/video', '/stream', '/mjpeg', '/video.mjpg', '/large', '/small'],
  still: ['/still.jpg', '/image.jpg', '/picture.jpg', '/large.jpg', '/small.jpg'],
} as const;
type Kind = keyof typeof likely;

/** Every address that is tried at a host. */
export function likelyAddresses(host: string): { readonly kind: Kind; readonly url: string }[] {
  const named = /:\d+$/.test(host);
  return (Object.keys(likely) as Kind[]).flatMap((kind) => {
    const scheme = kind === 'rtsp' ? 'rtsp' : 'http';
    const hosts = named ? [host] : usualPorts[scheme].map((port) => `${host}:${port}`);
    return hosts.flatMap((one) => likely[kind].map((path) => ({ kind, url: `${scheme}://${one}${path}` })));
  });
}

/**
 * Tries likely addresses at a host and says which of them send pictures. A port that is closed is not tried again; what
 * was late where something else answered is.
 */
export async function tryPaths(
  host: string,
  who: { readonly user?: string; readonly secret?: string },
  recordings: string,
): Promise<PathsReport> {
  const waiting = likelyAddresses(host);
  const tried = waiting.length;
  const found: PathsReport['found'] = [];
  const closed = new Set<string>();
  const answering = new Set<string>();
  const late: typeof waiting = [];
  const look = async ({ kind, url }: (typeof waiting)[number]) => {
    const feed = { kind, url, ...(who.user ? { user: who.user } : {}) };
    const report = await probe(readyFeed(feed, recordings, who.secret) as ReadyFeed, { onlyDevice: kind === 'onvif', mostMs: eachMs });
    if (report.ok) found.push({ kind, url, report });
    return report;
  };
  const work = async () => {
    for (let one = waiting.shift(); one; one = waiting.shift()) {
      const { host: place } = new URL(one.url);
      if (closed.has(place)) continue;
      const { code = '' } = await look(one);
      if (['connection-refused', 'host-unknown'].includes(code)) closed.add(place);
      else if (['no-answer', 'no-pictures'].includes(code)) late.push(one);
      else answering.add(place);
    }
  };
  await Promise.all(Array.from({ length: atOnce }, work));
  for (const one of late.filter(({ url }) => answering.has(new URL(url).host)).slice(0, mostAgain)) await look(one);
  const order = likelyAddresses(host).map(({ kind, url }) => `${kind} ${url}`);
  found.sort((a, b) => order.indexOf(`${a.kind} ${a.url}`) - order.indexOf(`${b.kind} ${b.url}`));
  return { tried, found };
}
