import type { DrawnMark } from '@causalis/contract';
import { pictureWide } from './picture-high.js';

/** The middle of a line on a sheet so high over a picture, and the way across it towards the side that is in, as a vector of length one. */
export function acrossLine({ corners, in: side }: Pick<DrawnMark, 'corners' | 'in'>, high: number) {
  const middle = Math.floor((corners.length - 1) / 2);
  const [[ax, ay], [bx, by]] = [corners[middle], corners[middle + 1]].map(([x, y]) => [x * pictureWide, y * high]);
  const long = Math.hypot(bx - ax, by - ay) || 1;
  // Left of one who walks the line: a quarter turn against the clock, with y downwards.
  const turn = side === 'right' ? -1 : 1;
  return { x: (ax + bx) / 2, y: (ay + by) / 2, nx: ((by - ay) / long) * turn, ny: (-(bx - ax) / long) * turn };
}
