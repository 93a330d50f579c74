import { feet, personHeight, type Van, type Walker } from './actors.js';
import { block, type Canvas, type Colour, ellipse, shade, stroke } from './brush.js';
import type { Light } from './light.js';

/** Colour of a thing in this light; under the infrared lamp cloth is brighter than gravel and has no colour. */
function lit([r, g, b]: Colour, light: Light): Colour {
  if (light.night) {
    const grey = (96 + 0.55 * (0.3 * r + 0.59 * g + 0.11 * b)) * light.gain[0] * 1.35;
    return [grey, grey, grey];
  }
  return [r * light.gain[0], g * light.gain[1], b * light.gain[2]];
}

/** A walking person with swinging arms and legs and a soft shadow at the feet. */
export function paintWalker(canvas: Canvas, walker: Walker, t: number, light: Light): void {
  const at = feet(walker, t);
  if (!at) return;
  const tall = (walker.high ?? personHeight)(at[1]) * walker.tall * canvas.height;
  const x = at[0] * canvas.width;
  const y = at[1] * canvas.height;
  const swing = Math.sin(((t - walker.from) / 1000) * walker.steps * Math.PI);
  const bob = Math.abs(swing) * tall * 0.012;
  const hip = y - tall * 0.48 + bob;
  const shoulder = y - tall * 0.8 + bob;
  const coat = lit(walker.coat, light);
  const cloth = lit(walker.trousers, light);
  const skin = lit([206, 164, 136], light);
  shade(canvas, x + tall * 0.12 * light.sun, y, tall * 0.26, tall * 0.07, 0.62);
  for (const side of [-1, 1]) {
    stroke(canvas, x + side * tall * 0.03, hip, x + side * swing * tall * 0.14, y - tall * 0.02, tall * 0.045, cloth);
    stroke(
      canvas,
      x + side * tall * 0.09,
      shoulder,
      x + side * tall * 0.1 - side * swing * tall * 0.1,
      hip + tall * 0.02,
      tall * 0.034,
      coat,
    );
  }
  stroke(canvas, x, hip, x, shoulder, tall * 0.095, coat);
  ellipse(canvas, x, shoulder - tall * 0.11, tall * 0.055, tall * 0.07, skin, 1, false);
}

/** Where a van is at scene time `t`: left, top, right and foot as shares of the picture; nothing when it is not there. */
export function vanAt(van: Van, t: number): readonly [number, number, number, number] | undefined {
  if (t < van.from || t > van.to) return undefined;
  const along = -0.35 + ((t - van.from) / (van.to - van.from)) * 1.7;
  const left = van.rightward ? along : 1 - along - van.long;
  const foot = van.rightward ? 0.395 : 0.325;
  return [left, foot - 0.15, left + van.long, foot];
}

/** A van on the road, with its headlights at night: their light falls on the road and a little beyond the wall. */
export function paintVan(canvas: Canvas, van: Van, t: number, light: Light): void {
  const at = vanAt(van, t);
  if (!at) return;
  const w = canvas.width;
  const h = canvas.height;
  const [left, top, right, foot] = [at[0] * w, at[1] * h, at[2] * w, at[3] * h];
  const paint = lit(van.paint, light);
  shade(canvas, (left + right) / 2, foot, (right - left) * 0.55, h * 0.02, 0.55);
  block(canvas, left, top, right, foot - h * 0.015, paint);
  const front = van.rightward ? right : left;
  const back = van.rightward ? -1 : 1;
  block(
    canvas,
    Math.min(front, front + back * w * 0.045),
    top + h * 0.02,
    Math.max(front, front + back * w * 0.045),
    top + h * 0.065,
    lit([60, 76, 88], light),
  );
  for (const wheel of [left + (right - left) * 0.2, left + (right - left) * 0.8])
    ellipse(canvas, wheel, foot - h * 0.014, h * 0.026, h * 0.026, lit([26, 26, 28], light), 1, false);
  if (light.night || light.sun < 0.25) {
    const ahead = front - back * w * 0.1;
    shade(canvas, ahead, foot, w * 0.16, h * 0.16, light.night ? 1.9 : 1.3);
    ellipse(canvas, front, foot - h * 0.04, h * 0.016, h * 0.016, [250, 248, 236], 1, false);
  }
}
