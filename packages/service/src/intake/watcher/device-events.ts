import { setTimeout as wait } from 'node:timers/promises';
import type { FeedFailure, ReadyFeedOf } from '../feeds/contract.js';
import { type DeviceOffers, OnvifClient } from '../onvif/client.js';
import { type DeviceNotice, noticeOf } from '../onvif/topics.js';

/** Pauses between tries, and how long a pull waits for news, below the time in which an answer must begin. */
const firstPauseMs = 2_000;
const longestPauseMs = 60_000;
const pullS = 5;
const renewMs = 300_000;
const farewellMs = 2_000;
/** A device that says older things than this has a clock that cannot be believed. */
const mostAgoMs = 3_600_000;

/** A notice, and how long ago it was true when it came, ms. */
export type ToldNotice = DeviceNotice & { readonly agoMs: number };

/**
 * What an ONVIF device says by itself, pulled from it (ONVIF Core §9.2, pull point) until `signal` ends it. How things stand
 * at the beginning is told once; after a break the subscription is made anew, and only what is different now is news.
 */
export async function followDevice(
  feed: ReadyFeedOf<'onvif'>,
  signal: AbortSignal,
  told: (notice: ToldNotice) => void,
  offered: (offers: DeviceOffers) => void,
): Promise<void> {
  const states = new Map<string, boolean>();
  let pause = firstPauseMs;
  while (!signal.aborted) {
    let listened = false;
    try {
      const client = new OnvifClient(feed.url, feed, signal);
      await client.open();
      offered(await client.offers());
      if (!client.has('tev')) return;
      await pullAll(client, signal, (notice) => {
        listened = true;
        if (isNews(notice, states)) told(notice);
      });
    } catch (error) {
      if (signal.aborted) return;
      // One that has no events answers with a fault: it is asked again as seldom as may be. One that had some has only forgotten us.
      if (listened) pause = firstPauseMs;
      else if ((error as FeedFailure).code === 'refused') pause = longestPauseMs;
    }
    await wait(pause, undefined, { signal }).catch(() => undefined);
    pause = Math.min(pause * 2, longestPauseMs);
  }
}

/** A state that is said again is no news; nor that nothing went on when somebody began to listen. How an input stands always is. */
function isNews({ what, source, rule, state, initial }: DeviceNotice, states: Map<string, boolean>): boolean {
  if (state === undefined) return !initial;
  const key = `${what} ${source} ${rule ?? ''}`;
  const before = states.get(key);
  states.set(key, state);
  if (before !== undefined) return before !== state;
  return state || !initial || what === 'input' || what === 'relay';
}

async function pullAll(client: OnvifClient, signal: AbortSignal, take: (notice: ToldNotice) => void): Promise<void> {
  const address = await client.subscribe();
  let renewed = performance.now();
  try {
    while (!signal.aborted) {
      for (const one of await client.pull(address, pullS)) {
        const notice = noticeOf(one);
        if (notice) take({ ...notice, agoMs: Math.min(mostAgoMs, Math.max(0, Date.now() + client.clockMs - notice.at)) || 0 });
      }
      if (performance.now() - renewed < renewMs) continue;
      await client.renew(address);
      renewed = performance.now();
    }
  } finally {
    await client
      .until(AbortSignal.timeout(farewellMs))
      .unsubscribe(address)
      .catch(() => undefined);
  }
}
