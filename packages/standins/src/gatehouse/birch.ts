import { type Canvas, type Colour, ellipse, shade } from './brush.js';
import { between, chance } from './chance.js';
import type { Light } from './light.js';

interface Leaf {
  readonly x: number;
  readonly y: number;
  readonly r: number;
  readonly loose: number;
  readonly phase: number;
  readonly pace: number;
  readonly green: number;
}

const next = chance(97);
/** Clusters of leaves; the crown hangs into the upper right corner of the drive. */
const leaves: readonly Leaf[] = Array.from({ length: 130 }, () => {
  const round = next() * Math.PI * 2;
  const out = Math.sqrt(next());
  const y = 0.3 + Math.sin(round) * 0.25 * out;
  return {
    x: 0.84 + Math.cos(round) * 0.12 * out,
    y,
    r: between(next, 0.008, 0.02),
    loose: 0.3 + out,
    phase: next() * 6.28,
    pace: between(next, 1.1, 2.6),
    green: between(next, 86, 142),
  };
});
const dapples = Array.from({ length: 16 }, () => ({
  x: between(next, 0.66, 0.9),
  y: between(next, 0.62, 0.74),
  phase: next() * 6.28,
}));

/** How hard the wind blows at a scene time, 0 to 1: gusts come and go within seconds. */
function wind(s: number, seed: number): number {
  const gust = Math.sin(s / 6.1 + seed) * Math.sin(s / 2.3 + seed * 3) * 0.5 + 0.5;
  return 0.35 + 0.65 * gust;
}

/** The birch's moving shadow on the drive, before the crown is painted over it. */
export function paintDapples(canvas: Canvas, t: number, seed: number, light: Light): void {
  if (light.sun < 0.05) return;
  const s = t / 1000;
  const blow = wind(s, seed);
  for (const d of dapples) {
    const x = (d.x + Math.sin(s * 1.3 + d.phase) * 0.006 * blow) * canvas.width;
    shade(canvas, x, d.y * canvas.height, 0.04 * canvas.width, 0.022 * canvas.height, 1 - 0.34 * light.sun);
  }
}

/** The birch's crown, swaying. */
export function paintBirch(canvas: Canvas, t: number, seed: number, light: Light): void {
  const s = t / 1000;
  const blow = wind(s, seed);
  const lean = Math.sin(s * 0.9 + seed) * 0.006 * blow;
  for (const leaf of leaves) {
    const x = leaf.x + lean * leaf.loose + Math.sin(s * leaf.pace * 2 + leaf.phase) * 0.005 * blow * leaf.loose;
    const y = leaf.y + Math.cos(s * leaf.pace * 1.6 + leaf.phase) * 0.004 * blow * leaf.loose;
    const [r, g, b] = light.gain;
    const tone = light.night ? leaf.green * 1.15 : leaf.green;
    const colour: Colour = light.night ? [tone * r, tone * g, tone * b] : [(tone - 18) * r, (tone + 14) * g, (tone - 52) * b];
    ellipse(canvas, x * canvas.width, y * canvas.height, leaf.r * canvas.width, leaf.r * 1.3 * canvas.height, colour, 0.9, false);
  }
}
