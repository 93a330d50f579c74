import { FeedFailure, mostPictureBytes } from './contract.js';

/** Headers of one part are a few lines; more is no picture. */
const mostHeader = 8_192;
const blank = Buffer.from('\r\n\r\n');

/**
 * Cuts a `multipart/x-mixed-replace` body (RFC 2046 §5.1) into parts as the bytes come. A part with a Content-Length
 * is handed over with its last byte, not with the boundary after it, which comes only with the next picture.
 */
export class PartCutter {
  private readonly boundary: Buffer;
  /** What has come and is not cut yet. */
  private kept: Buffer = Buffer.alloc(0);
  /** A body whose length is known, and how much of it has come: its bytes go right where they belong. */
  private body: Buffer | undefined;
  private filled = 0;
  private place: 'between' | 'header' | 'open' = 'between';

  constructor(boundary: string) {
    this.boundary = Buffer.from(`--${boundary.replace(/^--/, '')}`);
  }

  /** Takes bytes and returns the bodies that are whole now. Throws a `FeedFailure` for what is no multipart. */
  push(bytes: Buffer): Buffer[] {
    const whole: Buffer[] = [];
    this.kept = this.kept.length === 0 ? bytes : Buffer.concat([this.kept, bytes]);
    while (this.body ? this.fill(this.body, whole) : this.move(whole));
    return whole;
  }

  private fill(body: Buffer, whole: Buffer[]): boolean {
    const taken = this.kept.copy(body, this.filled);
    this.filled += taken;
    this.kept = this.kept.subarray(taken);
    if (this.filled < body.length) return false;
    whole.push(body);
    this.body = undefined;
    this.place = 'between';
    return true;
  }

  private move(whole: Buffer[]): boolean {
    const { kept } = this;
    if (this.place === 'between') {
      const at = kept.indexOf(this.boundary);
      if (at < 0) {
        // Nothing before a boundary matters; its first bytes may be here already.
        if (kept.length > this.boundary.length) this.kept = kept.subarray(kept.length - this.boundary.length);
        return false;
      }
      this.kept = kept.subarray(at + this.boundary.length);
      this.place = 'header';
      return true;
    }
    if (this.place === 'open') return this.open(kept, whole);
    const end = kept.indexOf(blank);
    if (end < 0) {
      if (kept.length > mostHeader) throw new FeedFailure('wrong-type', 'a part without an end of its header');
      return false;
    }
    const length = /content-length:\s*(\d+)/i.exec(kept.subarray(0, end).toString('latin1'))?.[1];
    if (Number(length ?? 0) > mostPictureBytes) throw new FeedFailure('wrong-type', `a part of ${length} bytes`);
    this.kept = kept.subarray(end + blank.length);
    this.place = 'open';
    if (length !== undefined) [this.body, this.filled] = [Buffer.allocUnsafeSlow(Number(length)), 0];
    return true;
  }

  /** A body that does not say how long it is: it ends with the next boundary. */
  private open(kept: Buffer, whole: Buffer[]): boolean {
    const end = kept.indexOf(this.boundary);
    if (end < 0) {
      if (kept.length > mostPictureBytes) throw new FeedFailure('wrong-type', 'a part without an end');
      return false;
    }
    const to = kept.subarray(Math.max(0, end - 2), end).toString('latin1') === '\r\n' ? end - 2 : end;
    // A copy of its own: a part that is kept for a while would hold all that came with it.
    whole.push(Buffer.from(kept.subarray(0, to)));
    this.kept = kept.subarray(end);
    this.place = 'between';
    return true;
  }
}
