import type { CodedTogether } from './encoder.js';

/** A packet's payload is about so long at most, as on a network. */
export const mostPayload = 1_200;
const clockRate = 90_000;

/** Whether a unit belongs to a picture, or only tells how to read the others. */
export const isPicture = (codec: CodedTogether, nal: Buffer): boolean =>
  codec === 'h265' ? ((nal[0] >> 1) & 63) < 32 : (nal[0] & 31) >= 1 && (nal[0] & 31) <= 5;

/** The payloads of one unit: whole where it fits, else in fragments (FU-A of RFC 6184 §5.8; FU of RFC 7798 §4.4.3). */
export function unitPayloads(codec: CodedTogether, nal: Buffer): Buffer[] {
  if (nal.length <= mostPayload) return [nal];
  const head = codec === 'h265' ? 2 : 1;
  const parts: Buffer[] = [];
  for (let at = head; at < nal.length; at += mostPayload) {
    const end = Math.min(nal.length, at + mostPayload);
    const flags = (at === head ? 0x80 : 0) | (end === nal.length ? 0x40 : 0);
    const before =
      codec === 'h265'
        ? [(nal[0] & 0x81) | (49 << 1), nal[1], flags | ((nal[0] >> 1) & 63)]
        : [(nal[0] & 0xe0) | 28, flags | (nal[0] & 31)];
    parts.push(Buffer.concat([Buffer.from(before), nal.subarray(at, end)]));
  }
  return parts;
}

/** Packs the payloads of a stream into RTP packets (RFC 3550). */
export class Packer {
  private readonly kind: number;
  private readonly source = Math.floor(Math.random() * 2 ** 32);
  private sequence = Math.floor(Math.random() * 60_000);
  private readonly began = performance.now();

  /** `kind` is the payload type: 26 for JPEG (RFC 3551 §6), else one that the description names. */
  constructor(kind: number) {
    this.kind = kind;
  }

  /** The packets of what is shown now; the last of them is marked when a picture ends with it. */
  pack(parts: readonly Buffer[], endsPicture: boolean): Buffer[] {
    const time = Math.round(((performance.now() - this.began) / 1000) * clockRate) >>> 0;
    return parts.map((payload, i) => {
      const head = Buffer.alloc(12);
      head[0] = 0x80;
      head[1] = this.kind | (i === parts.length - 1 && endsPicture ? 0x80 : 0);
      head.writeUInt16BE(this.sequence++ & 0xffff, 2);
      head.writeUInt32BE(time, 4);
      head.writeUInt32BE(this.source, 8);
      return Buffer.concat([head, payload]);
    });
  }
}
