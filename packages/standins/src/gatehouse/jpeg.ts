import jpeg from '@julusian/jpeg-turbo';

/** A painted picture as JPEG, with the loss of an ordinary camera. */
export function toJpeg(rgb: Buffer, width: number, height: number, quality = 78): Buffer {
  return jpeg.compressSync(rgb, { format: jpeg.FORMAT_RGB, width, height, quality, subsampling: jpeg.SAMP_420 });
}
