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
  private kept: Buffer = Buffer.alloc(0);
  private length: number | undefined;
  private place: 'between' | 'header' | 'body' = 'between';

  constructor(boundary: string) {
    this.boundary = Buffer.from(`--${boundary.replace(/^--/, '')}`);
  }

  /** Takes bytes and returns the bodies that are whole now. Throws a `FeedFailure` for what is no multipart. */
  push(bytes: Buffer): Buffer[] {
    this.kept = this.kept.length === 0 ? bytes : Buffer.concat([this.kept, bytes]);
    const whole: Buffer[] = [];
    while (this.move(whole));
    return whole;
  }

  private move(whole: Buffer[]): boolean {
    if (this.place === 'between') {
      const at = this.kept.indexOf(this.boundary);
      if (at < 0) {
        // Nothing before a boundary matters; its first bytes may be here already.
        if (this.kept.length > this.boundary.length) this.kept = this.kept.subarray(this.kept.length - this.boundary.length);
        return false;
      }
      this.kept = this.kept.subarray(at + this.boundary.length);
      this.place = 'header';
    }
    if (this.place === 'header') {
      const end = this.kept.indexOf(blank);
      if (end < 0) {
        if (this.kept.length > mostHeader) throw new FeedFailure('wrong-type', 'a part without an end of its header');
        return false;
      }
      const length = /content-length:\s*(\d+)/i.exec(this.kept.subarray(0, end).toString('latin1'))?.[1];
      this.length = length === undefined ? undefined : Number(length);
      if ((this.length ?? 0) > mostPictureBytes) throw new FeedFailure('wrong-type', `a part of ${this.length} bytes`);
      this.kept = this.kept.subarray(end + blank.length);
      this.place = 'body';
    }
    return this.body(whole);
  }

  private body(whole: Buffer[]): boolean {
    const end = this.length ?? this.kept.indexOf(this.boundary);
    if (end < 0 || this.kept.length < end) {
      if (this.kept.length > mostPictureBytes) throw new FeedFailure('wrong-type', 'a part without an end');
      return false;
    }
    const body = this.kept.subarray(0, end);
    whole.push(this.length === undefined && body.subarray(-2).toString('latin1') === '\r\n' ? body.subarray(0, -2) : body);
    this.kept = this.kept.subarray(end);
    this.place = 'between';
    return true;
  }
}
