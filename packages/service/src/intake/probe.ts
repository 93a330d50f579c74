import { setMaxListeners } from 'node:events';
import { connect } from 'node:tls';
import type { ProbeReport } from '@causalis/contract';
import { type FeedFacts, FeedFailure, type ReadyFeed } from './feeds/contract.js';
import { openFeed } from './feeds/registry.js';
import { fetchStill } from './feeds/still.js';
import { OnvifClient } from './onvif/client.js';
import { encodeAfresh, readSize } from './watcher/jpeg.js';

/** A probe takes so long at most; pictures are counted for this long after the first. */
const probeMs = 14_000;
const countMs = 1_200;
const certificateMs = 3_000;
/** A recorder with more channels shows the first ones. */
const mostChannels = 16;

/** How far a probe goes: every channel of a recorder; or only so far that the device has named its channels. */
export interface ProbeWays {
  readonly channels?: boolean;
  readonly onlyDevice?: boolean;
  readonly mostMs?: number;
}

/** Looks what answers at an address, as a watcher would: what it sends, or why it sends nothing. */
export async function probe(
  feed: ReadyFeed,
  { channels = false, onlyDevice = false, mostMs = probeMs }: ProbeWays = {},
): Promise<ProbeReport> {
  if (feed.kind === 'pushed') return { ok: false, code: 'sends-itself', tookMs: 0, profiles: [] };
  const end = new AbortController();
  // A recorder is asked for all its channels at the same time.
  setMaxListeners(0, end.signal);
  const late = setTimeout(() => end.abort(), mostMs);
  const began = performance.now();
  const facts: FeedFacts = {};
  const found = (more: Partial<ProbeReport> & { ok: boolean }): ProbeReport => ({
    ...facts,
    tookMs: Math.round(performance.now() - began),
    profiles: [],
    ...more,
  });
  try {
    const profiles = (channels || onlyDevice) && feed.kind === 'onvif' ? await channelsOf(feed, facts, end.signal) : [];
    if (onlyDevice) return found({ ok: profiles.length > 0, profiles });
    const first = await firstPicture(feed, facts, end.signal);
    if (!first) return found({ ok: false, code: 'no-answer', profiles });
    const size = readSize(first.jpeg);
    const jpeg = encodeAfresh(first.jpeg, 80);
    if ('wrong' in size || !jpeg)
      return found({ ok: false, code: 'wrong-type', detail: 'wrong' in size ? size.wrong : undefined, profiles });
    return found({
      ok: true,
      ...size,
      ...(first.rate ? { rate: first.rate } : {}),
      picture: jpeg.toString('base64'),
      tookMs: first.tookMs,
      profiles,
    });
  } catch (error) {
    const failure = error instanceof FeedFailure ? error : new FeedFailure('connection-broken', (error as Error).message);
    const fingerprint = failure.code.endsWith('-certificate') && 'url' in feed ? await shownCertificate(feed.url) : undefined;
    return found({
      ok: false,
      code: failure.code,
      ...(failure.detail ? { detail: failure.detail } : {}),
      ...(fingerprint ? { fingerprint } : {}),
    });
  } finally {
    clearTimeout(late);
    end.abort();
  }
}

/** SHA-256 of the certificate that is shown at an address; nothing when none is. */
async function shownCertificate(url: string): Promise<string | undefined> {
  const { hostname, port } = new URL(url);
  return await new Promise((resolve) => {
    const socket = connect({ host: hostname, port: Number(port || 443), rejectUnauthorized: false, timeout: certificateMs }, () => {
      resolve(socket.getPeerCertificate().fingerprint256);
      socket.destroy();
    });
    socket.on('error', () => resolve(undefined)).on('timeout', () => socket.destroy(new Error('late')));
  });
}

/** The first picture, and how many come a second while they are counted. */
async function firstPicture(
  feed: ReadyFeed,
  facts: FeedFacts,
  signal: AbortSignal,
): Promise<{ jpeg: Buffer; rate?: number; tookMs: number } | undefined> {
  const began = performance.now();
  let first: { jpeg: Buffer; at: number } | undefined;
  let count = 0;
  for await (const jpeg of openFeed(feed, signal, facts)) {
    const now = performance.now();
    first ??= { jpeg, at: now };
    count++;
    if (feed.kind === 'still' || now - first.at >= countMs)
      return {
        jpeg: first.jpeg,
        tookMs: Math.round(first.at - began),
        ...(count > 2 ? { rate: Math.round(((count - 1) / (now - first.at)) * 10_000) / 10 } : {}),
      };
  }
  return first && { jpeg: first.jpeg, tookMs: Math.round(first.at - began) };
}

/** Every profile of an ONVIF device, with a picture where it gives stills. */
async function channelsOf(
  feed: Extract<ReadyFeed, { kind: 'onvif' }>,
  facts: FeedFacts,
  signal: AbortSignal,
): Promise<ProbeReport['profiles']> {
  const { url, ...who } = feed;
  const client = new OnvifClient(url, who, signal);
  await client.open();
  facts.clockMs = client.clockMs;
  facts.maker = await client.information();
  const profiles = (await client.profiles()).slice(0, mostChannels * 2);
  return await Promise.all(
    profiles.map(async (profile) => {
      const address = await client.stillUri(profile.token).catch(() => undefined);
      const jpeg = address && (await fetchStill(address, who, signal).catch(() => undefined));
      const fresh = jpeg && encodeAfresh(jpeg, 70);
      return { ...profile, ...(fresh ? { picture: fresh.toString('base64') } : {}) };
    }),
  );
}
