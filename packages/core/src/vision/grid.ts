/** A grey picture: one byte a pixel, row by row, with the time of its arrival in ms. */
export interface GreyPicture {
  readonly width: number;
  readonly height: number;
  readonly bytes: Uint8Array;
  readonly timeMs: number;
}

/** The working grid of a picture: every `factor` × `factor` pixels become one. */
export interface Grid {
  readonly width: number;
  readonly height: number;
  readonly factor: number;
}

const workingWidth = 320;

/** The grid for a picture of this size: about 320 cells wide, where a person far away still covers a dozen cells. */
export function gridFor(width: number, height: number): Grid {
  const factor = Math.max(1, Math.round(width / workingWidth));
  return { width: Math.floor(width / factor), height: Math.floor(height / factor), factor };
}

/** Averages a picture down to its grid: cheap, and it takes out half of the sensor's noise at a factor of two. */
export function reduce(picture: GreyPicture, grid: Grid, into: Float32Array): void {
  const { bytes, width } = picture;
  if (grid.factor === 2) reduceByTwo(bytes, width, grid.width, grid.height, into);
  else reduceBy(grid.factor, bytes, width, grid.width, grid.height, into);
}

/** The usual case, written out: a small feed of 640 pixels. */
function reduceByTwo(bytes: Uint8Array, stride: number, width: number, height: number, into: Float32Array): void {
  let out = 0;
  for (let y = 0; y < height; y++) {
    let at = y * 2 * stride;
    for (let x = 0; x < width; x++, at += 2) into[out++] = (bytes[at] + bytes[at + 1] + bytes[at + stride] + bytes[at + stride + 1]) * 0.25;
  }
}

function reduceBy(factor: number, bytes: Uint8Array, stride: number, width: number, height: number, into: Float32Array): void {
  const share = 1 / (factor * factor);
  for (let y = 0; y < height; y++) {
    const row = y * width;
    into.fill(0, row, row + width);
    for (let j = 0; j < factor; j++) {
      let at = (y * factor + j) * stride;
      for (let x = 0; x < width; x++) {
        let sum = 0;
        for (let i = 0; i < factor; i++) sum += bytes[at++];
        into[row + x] += sum * share;
      }
    }
  }
}
