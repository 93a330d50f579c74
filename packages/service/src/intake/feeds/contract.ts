import type { Feed } from '@causalis/contract';

/** A feed of a document with its password and its shortest distance from picture to picture looked up. */
export type ReadyFeed = Feed extends infer F
  ? F extends Feed
    ? Omit<F, 'password' | 'every'> & { readonly secret?: string; readonly everyMs: number; readonly recordings: string }
    : never
  : never;
export type ReadyFeedOf<K extends Feed['kind']> = Extract<ReadyFeed, { kind: K }>;

/** User and password as a feed has them. */
export interface Credentials {
  readonly user?: string;
  readonly secret?: string;
  /** SHA-256 of the certificate that is the right one, whoever has signed it. */
  readonly certificate?: string;
}

/** Why a feed gives no pictures: a stable code of the camera's state, and the other side's words. */
export class FeedFailure extends Error {
  readonly code: string;
  readonly detail: string | undefined;

  constructor(code: string, detail?: string) {
    super(code);
    this.code = code;
    this.detail = detail;
  }
}

/** What a feed found out about itself on the way, for whoever probes it. */
export interface FeedFacts {
  codec?: string;
  /** Frames a second, as the other side declares them. */
  rate?: number;
  /** By how much its clock is ahead of ours, ms. */
  clockMs?: number;
  maker?: string;
  /** What it calls itself wherever it is. */
  device?: string;
}

/** One kind of feed: JPEG pictures one by one until the other side ends, fails (`FeedFailure`) or `signal` ends it. */
export type OpenFeed<K extends Feed['kind']> = (feed: ReadyFeedOf<K>, signal: AbortSignal, facts?: FeedFacts) => AsyncIterable<Buffer>;

/** A picture larger than this is refused before it is read whole. */
export const mostPictureBytes = 8 * 1024 * 1024;
/** A camera that sends nothing for this long has stopped. */
export const silenceMs = 10_000;
