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
/** Sums of a column of so many pixels still fit 16 bits. */
const mostFactor = 64;

/** The grid for a picture of this size: about 320 cells wide, where a person far away still covers a dozen cells. */
export function gridFor(width: number, height: number): Grid {
  const factor = Math.min(mostFactor, Math.max(1, Math.round(width / workingWidth)));
  return { width: Math.max(1, Math.floor(width / factor)), height: Math.max(1, Math.floor(height / factor)), factor };
}
