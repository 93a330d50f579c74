import type { Feed } from '@causalis/contract';
import type { FeedFacts, OpenFeed, ReadyFeed } from './contract.js';
import { openDevice } from './device.js';
import { openFile } from './file.js';
import { openMultipart } from './multipart.js';
import { openOnvif } from './onvif.js';
import { openPushed } from './pushed.js';
import { openRtsp } from './rtsp.js';
import { openStill } from './still.js';

/** Feed kinds by name: a new kind is one file and one line here. */
const kinds: { readonly [K in Feed['kind']]: OpenFeed<K> } = {
  multipart: openMultipart,
  still: openStill,
  rtsp: openRtsp,
  onvif: openOnvif,
  device: openDevice,
  file: openFile,
  pushed: openPushed,
};

/** Opens a feed of whatever kind. */
export const openFeed = (feed: ReadyFeed, signal: AbortSignal, facts?: FeedFacts): AsyncIterable<Buffer> =>
  // The kind picks its own way; TypeScript cannot tie the two by itself.
  (kinds[feed.kind] as (feed: ReadyFeed, signal: AbortSignal, facts?: FeedFacts) => AsyncIterable<Buffer>)(feed, signal, facts);
