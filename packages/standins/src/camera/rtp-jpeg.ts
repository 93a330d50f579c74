import { mostPayload } from './rtp.js';

/** What a JPEG is made of, as far as RTP asks: quantization tables and what is coded. */
interface Parts {
  readonly width: number;
  readonly height: number;
  readonly tables: Buffer;
  readonly scan: Buffer;
}

/** Baseline with colours halved both ways (RFC 2435 §4.1), and tables that are sent along (§4.2). */
const halvedColours = 1;
const ownTables = 255;

function partsOf(jpeg: Buffer): Parts {
  const tables: Buffer[] = [];
  let [width, height] = [0, 0];
  for (let at = 2; at + 4 < jpeg.length; at += 2 + jpeg.readUInt16BE(at + 2)) {
    const [marker, length] = [jpeg[at + 1], jpeg.readUInt16BE(at + 2)];
    const body = jpeg.subarray(at + 4, at + 2 + length);
    if (marker === 0xdb) for (let k = 0; k < body.length; k += 65) tables.push(body.subarray(k + 1, k + 65));
    if (marker === 0xc0) [height, width] = [body.readUInt16BE(1), body.readUInt16BE(3)];
    if (marker !== 0xda) continue;
    const scan = jpeg.subarray(at + 2 + length);
    const end = scan.lastIndexOf(Buffer.from([0xff, 0xd9]));
    return { width, height, tables: Buffer.concat(tables), scan: end < 0 ? scan : scan.subarray(0, end) };
  }
  throw new Error('a JPEG without a picture');
}

/** The payloads of a JPEG with the usual Huffman tables (RTP payload format for JPEG, RFC 2435 §3). */
export function jpegPayloads(jpeg: Buffer): Buffer[] {
  const { width, height, tables, scan } = partsOf(jpeg);
  const parts: Buffer[] = [];
  for (let at = 0; at < scan.length; at += mostPayload) {
    const head = Buffer.from([0, at >> 16, (at >> 8) & 255, at & 255, halvedColours, ownTables, width >> 3, height >> 3]);
    const before = at === 0 ? Buffer.concat([head, Buffer.from([0, 0, tables.length >> 8, tables.length & 255]), tables]) : head;
    parts.push(Buffer.concat([before, scan.subarray(at, at + mostPayload)]));
  }
  return parts;
}
