/** How pictures arrive from one feed of a camera. */
export interface FeedOptions {
  readonly url: string;
  readonly user?: string;
  readonly password?: string;
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

/** One kind of feed: JPEG pictures one by one until the other side ends, fails (`FeedFailure`) or `signal` ends it. */
export type OpenFeed = (options: FeedOptions, signal: AbortSignal) => AsyncIterable<Buffer>;

/** A picture larger than this is refused before it is read whole. */
export const mostPictureBytes = 8 * 1024 * 1024;
