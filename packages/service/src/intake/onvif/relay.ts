import type { ReadyFeedOf } from '../feeds/contract.js';
import { OnvifClient } from './client.js';

/** Switches a relay output of a device. Failures are those of feeds: `FeedFailure`. */
export async function switchRelay(feed: ReadyFeedOf<'onvif'>, token: string, on: boolean, signal: AbortSignal): Promise<void> {
  const client = new OnvifClient(feed.url, feed, signal);
  await client.open();
  await client.setRelay(token, on);
}
