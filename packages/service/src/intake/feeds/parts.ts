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
  /** What has come and is not cut yet, in the pieces in which it came: joined once, when it is looked at. */
  private pieces: Buffer[] = [];
  private held = 0;
  private length: number | undefined;
  private place: 'between' | 'header' | 'body' = 'between';

  constructor(boundary: string) {
    this.boundary = Buffer.from(`--${boundary.replace(/^--/, '')}`);
  }

  /** Takes bytes and returns the bodies that are whole now. Throws a `FeedFailure` for what is no multipart. */
  push(bytes: Buffer): Buffer[] {
    this.pieces.push(bytes);
    this.held += bytes.length;
    const whole: Buffer[] = [];
    // Of a body whose length is known nothing is looked at before its last byte is there.
    if (this.place === 'body' && this.held < (this.length ?? 0)) return whole;
    while (this.move(whole));
    return whole;
  }

  /** All that is held, in one piece. */
  private get kept(): Buffer {
    if (this.pieces.length !== 1) this.pieces = [Buffer.concat(this.pieces)];
    return this.pieces[0];
  }
  private set kept(rest: Buffer) {
    this.pieces = rest.length > 0 ? [rest] : [];
    this.held = rest.length;
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
    if (this.place === 'body') return this.body(kept, whole);
    const end = kept.indexOf(blank);
    if (end < 0) {
      if (kept.length > mostHeader) throw new FeedFailure('wrong-type', 'a part without an end of its header');
      return false;
    }
    const length = /content-length:\s*(\d+)/i.exec(kept.subarray(0, end).toString('latin1'))?.[1];
    this.length = length === undefined ? undefined : Number(length);
    if ((this.length ?? 0) > mostPictureBytes) throw new FeedFailure('wrong-type', `a part of ${this.length} bytes`);
    this.kept = kept.subarray(end + blank.length);
    this.place = 'body';
    return true;
  }

  private body(kept: Buffer, whole: Buffer[]): boolean {
    const end = this.length ?? kept.indexOf(this.boundary);
    if (end < 0 || kept.length < end) {
      if (kept.length > mostPictureBytes) throw new FeedFailure('wrong-type', 'a part without an end');
      return false;
    }
    const to = this.length === undefined && kept.subarray(end - 2, end).toString('latin1') === '\r\n' ? end - 2 : end;
    // A copy of its own: a part that is kept for a while would hold all that came with it.
    whole.push(Buffer.from(kept.subarray(0, to)));
    this.kept = kept.subarray(end);
    this.place = 'between';
    return true;
  }
}
