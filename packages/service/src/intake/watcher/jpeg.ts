import { type AreaShape, fillArea } from '@causalis/core';
import jpeg from '@julusian/jpeg-turbo';

/** Pictures of more than this many pixels are refused by their header, before anything is decoded. */
const mostPixels = 16_000_000;

/** Size of a JPEG from its frame header (ITU-T T.81 §B.2.2), or what is wrong with it. */
export function readSize(bytes: Buffer): { width: number; height: number } | { wrong: string } {
  if (bytes.length < 4 || bytes[0] !== 0xff || bytes[1] !== 0xd8)
    return { wrong: `no JPEG: begins with ${bytes.subarray(0, 4).toString('hex') || 'nothing'}` };
  let at = 2;
  while (at + 9 < bytes.length) {
    if (bytes[at] !== 0xff) return { wrong: 'broken JPEG: a marker is missing' };
    const marker = bytes[at + 1];
    if (marker === 0xff) {
      at++;
      continue;
    }
    const frame = marker >= 0xc0 && marker <= 0xcf && marker !== 0xc4 && marker !== 0xc8 && marker !== 0xcc;
    if (frame) {
      const [height, width] = [bytes.readUInt16BE(at + 5), bytes.readUInt16BE(at + 7)];
      if (width === 0 || height === 0) return { wrong: 'broken JPEG: no size' };
      return width * height > mostPixels ? { wrong: `too large: ${width} × ${height}` } : { width, height };
    }
    at += 2 + bytes.readUInt16BE(at + 2);
  }
  return { wrong: 'broken JPEG: no frame header' };
}

/** One buffer for all pictures of the process: a fresh one of this size each time costs as much as half the decoding. */
let grey = Buffer.alloc(0);

/**
 * A JPEG as grey levels, until the next one is decoded; or what is wrong with it. `roomFor` may say where a picture of
 * a size is wanted.
 */
export function decodeGrey(
  bytes: Buffer,
  roomFor: (width: number, height: number) => Uint8Array | undefined = () => undefined,
): { width: number; height: number; bytes: Uint8Array } | { wrong: string } {
  const size = readSize(bytes);
  if ('wrong' in size) return size;
  try {
    const { width, height } = size;
    let room = roomFor(width, height);
    if (!room) {
      if (grey.length < width * height) grey = Buffer.alloc(width * height);
      room = grey.subarray(0, width * height);
    }
    jpeg.decompressSync(bytes, Buffer.from(room.buffer, room.byteOffset, room.byteLength), { format: jpeg.FORMAT_GRAY });
    return { width, height, bytes: room };
  } catch (error) {
    return { wrong: `broken JPEG: ${(error as Error).message.slice(0, 100)}` };
  }
}

/** Burns areas in: what they show is gone from the bytes. */
function hide(rgb: Buffer, width: number, height: number, areas: readonly AreaShape[]): void {
  for (const area of areas) {
    const mask = fillArea(area, width, height);
    for (let i = 0; i < mask.length; i++) if (mask[i] === 1) rgb.fill(32, i * 3, i * 3 + 3);
  }
}

/** A camera's picture encoded afresh: its bytes are never passed on untouched, hidden areas not at all. Nothing when it is no picture. */
export function encodeAfresh(bytes: Buffer, quality: number, hidden: readonly AreaShape[] = []): Buffer | undefined {
  if ('wrong' in readSize(bytes)) return undefined;
  try {
    const { data, width, height } = jpeg.decompressSync(bytes, { format: jpeg.FORMAT_RGB });
    hide(data, width, height, hidden);
    return jpeg.compressSync(data, { format: jpeg.FORMAT_RGB, width, height, quality, subsampling: jpeg.SAMP_420 });
  } catch {
    return undefined;
  }
}
