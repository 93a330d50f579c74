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
}
export const conditionNames = ['rain', 'herons', 'lamp', 'covered', 'turned', 'blurred', 'blinded', 'frozen'] as const;

/** Does to a picture what the conditions say. */
export function spoil(canvas: Canvas, t: number, seed: number, conditions: Conditions): void {
  if (conditions.rain) paintRain(canvas, t, seed);
  if (conditions.turned) turn(canvas);
  if (conditions.blurred) for (let i = 0; i < 3; i++) soften(canvas, Math.max(2, Math.round(canvas.width / 90)));
  if (conditions.blinded)
    canvas.bytes.forEach((level, i) => {
      canvas.bytes[i] = Math.min(255, 170 + level);
    });
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
    for (let x = 0; x < by; x++) bytes.set(before.subarray(x * 3, x * 3 + 3), row + (width - 1 - x) * 3);
  }
}

/** The mean of so many pixels to each side, along the rows and down the columns. */
function soften({ bytes, width, height }: Canvas, reach: number): void {
  const pass = (length: number, lines: number, step: number, lineStep: number) => {
    const line = new Uint8Array(length);
    for (let n = 0; n < lines; n++) {
      for (let c = 0; c < 3; c++) {
        const at = n * lineStep + c;
        for (let i = 0; i < length; i++) line[i] = bytes[at + i * step];
        let sum = 0;
        for (let i = -reach; i <= reach; i++) sum += line[Math.max(0, i)];
        for (let i = 0; i < length; i++) {
          bytes[at + i * step] = sum / (reach * 2 + 1);
          sum += line[Math.min(length - 1, i + reach + 1)] - line[Math.max(0, i - reach)];
        }
      }
    }
  };
  pass(width, height, 3, width * 3);
  pass(height, width, width * 3, 3);
}
