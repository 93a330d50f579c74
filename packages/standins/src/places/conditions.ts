import { type Canvas, stroke } from '../gatehouse/brush.js';
import { chance } from '../gatehouse/chance.js';

/** What can be made to happen to a stand-in camera, each on command. */
export interface Conditions {
  rain?: boolean;
  herons?: boolean;
  /** The lamp of the corridor; on unless said. */
  lamp?: boolean;
  /** Somebody's hand or paint on the lens. */
  covered?: boolean;
  /** It was turned by hand. */
  turned?: boolean;
  blurred?: boolean;
  blinded?: boolean;
  frozen?: boolean;
  /** Nobody comes. */
  empty?: boolean;
}
export const conditionNames = ['rain', 'herons', 'lamp', 'covered', 'turned', 'blurred', 'blinded', 'frozen', 'empty'] as const;

/** Does to a picture what the conditions say. */
export function spoil(canvas: Canvas, t: number, seed: number, conditions: Conditions): void {
  if (conditions.rain) paintRain(canvas, t, seed);
  if (conditions.turned) turn(canvas);
  if (conditions.blurred) for (let i = 0; i < 3; i++) soften(canvas, Math.max(2, Math.round(canvas.width / 90)));
  if (conditions.blinded) for (let i = 0; i < canvas.bytes.length; i++) canvas.bytes[i] = Math.min(255, 170 + canvas.bytes[i]);
  if (conditions.covered) canvas.bytes.fill(14);
}

/** Streaks that are somewhere else on each picture. */
function paintRain(canvas: Canvas, t: number, seed: number): void {
  const next = chance(seed * 977 + Math.round(t));
  const { width, height } = canvas;
  for (let i = 0; i < 90; i++) {
    const [x, y, long] = [next() * width, next() * height, (0.02 + next() * 0.04) * height];
    const grey = 170 + next() * 60;
    stroke(canvas, x, y, x - long * 0.18, y + long, width / 1400, [grey, grey, grey]);
  }
}

/** Looks 40 % further to the right: what was there is elsewhere, and what comes in is a wall. */
function turn({ bytes, width, height }: Canvas): void {
  const by = Math.round(width * 0.4);
  for (let y = 0; y < height; y++) {
    const row = y * width * 3;
    const before = Uint8Array.from(bytes.subarray(row, row + width * 3));
    bytes.set(before.subarray(by * 3), row);
    for (let i = 0; i < by * 3; i++) bytes[row + (width - 1) * 3 - i + 2 * (i % 3)] = before[i];
  }
}

/** The mean of so many pixels to each side, along the rows and down the columns. */
function soften({ bytes, width, height }: Canvas, reach: number): void {
  const pass = (length: number, lines: number, step: number, lineStep: number) => {
    // A line with its ends drawn out, so that the mean needs no look at where it is.
    const line = new Uint8Array(length + reach * 2 + 1);
    const share = 1 / (reach * 2 + 1);
    for (let n = 0; n < lines * 3; n++) {
      const at = Math.floor(n / 3) * lineStep + (n % 3);
      line.fill(bytes[at], 0, reach);
      for (let i = 0; i < length; i++) line[reach + i] = bytes[at + i * step];
      line.fill(bytes[at + (length - 1) * step], reach + length);
      let sum = 0;
      for (let i = 0; i < reach * 2 + 1; i++) sum += line[i];
      for (let i = 0; i < length; i++) {
        bytes[at + i * step] = sum * share;
        sum += line[i + reach * 2 + 1] - line[i];
      }
    }
  };
  pass(width, height, 3, width * 3);
  pass(height, width, width * 3, 3);
}
