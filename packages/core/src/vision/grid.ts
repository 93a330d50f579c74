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
  const { factor } = grid;
  const { bytes, width } = picture;
  const share = 1 / (factor * factor);
  for (let y = 0; y < grid.height; y++) {
    for (let x = 0; x < grid.width; x++) {
      let sum = 0;
      let at = y * factor * width + x * factor;
      for (let j = 0; j < factor; j++, at += width) for (let i = 0; i < factor; i++) sum += bytes[at + i];
      into[y * grid.width + x] = sum * share;
    }
  }
}
