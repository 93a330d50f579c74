import { type Canvas, type Colour, ellipse, shade, stroke } from '../gatehouse/brush.js';
import { between, chance } from '../gatehouse/chance.js';
import type { Light } from '../gatehouse/light.js';
import type { PlaceSpec } from './place.js';

const next = chance(61);
const reeds = Array.from({ length: 160 }, () => {
  const x = between(next, 0, 1280);
  const g = Math.round(between(next, 80, 130));
  return `<path d="M${x} 250q${between(next, -14, 14)} -40 ${between(next, -20, 20)} -80" stroke="rgb(${g - 20},${g},${g - 50})" stroke-width="4" fill="none"/>`;
}).join('');
const lilies = Array.from({ length: 38 }, () => ({
  x: between(next, 0.02, 0.98),
  y: between(next, 0.42, 0.9),
  r: between(next, 0.012, 0.03),
}));
const waves = Array.from({ length: 70 }, () => ({
  x: next(),
  y: between(next, 0.37, 0.98),
  long: between(next, 0.03, 0.12),
  phase: next() * 6.28,
}));

/** Glints that run over the water. */
function paintWater(canvas: Canvas, t: number, seed: number, light: Light): void {
  const s = t / 1000;
  const { width, height } = canvas;
  for (const wave of waves) {
    const x = ((((wave.x + s * 0.012 + Math.sin(s * 0.7 + wave.phase) * 0.01) % 1) + 1) % 1) * width;
    const strength = 0.5 + 0.5 * Math.sin(s * 1.6 + wave.phase + seed);
    shade(canvas, x, wave.y * height, wave.long * width, 0.008 * height, 1 + (light.night ? 0.25 : 0.5) * strength);
  }
  for (const lily of lilies) {
    const bob = Math.sin(s * 1.1 + lily.x * 40) * 0.0025;
    const green: Colour = light.night ? [70, 70, 70] : [70 * light.gain[0], 118 * light.gain[1], 66 * light.gain[2]];
    ellipse(canvas, (lily.x + bob) * width, lily.y * height, lily.r * width, lily.r * 0.4 * height * 1.6, green, 0.95, false);
  }
}

/** Where the three herons stand at scene time `t`, and how tall they are: shares of the picture. */
export function heronsAt(t: number, seed: number): readonly { readonly x: number; readonly y: number; readonly tall: number }[] {
  return [0, 1, 2].map((i) => {
    const s = t / 1000 + i * 31 + seed;
    const wade = Math.sin(s / 4 + i) * 0.1 + Math.sin(s / 1.7) * 0.02;
    return { x: 0.22 + i * 0.27 + wade, y: 0.55 + i * 0.1, tall: 0.1 + i * 0.03 };
  });
}

/** Herons stand, wade a few steps and stand again. */
function paintHerons(canvas: Canvas, t: number, seed: number, light: Light): void {
  const { width, height } = canvas;
  const grey = light.night ? 150 * light.gain[0] : 175 * light.gain[1];
  for (const [i, heron] of heronsAt(t, seed).entries()) {
    const [x, y, tall] = [heron.x * width, heron.y * height, heron.tall * height];
    const bow = Math.sin((t / 1000 + i * 31 + seed) * 1.3) * 0.2;
    stroke(canvas, x, y, x + tall * 0.06, y - tall * 0.5, tall * 0.02, [grey * 0.5, grey * 0.5, grey * 0.45]);
    ellipse(canvas, x + tall * 0.05, y - tall * 0.6, tall * 0.24, tall * 0.13, [grey * 0.9, grey * 0.93, grey], 1, false);
    stroke(canvas, x + tall * 0.2, y - tall * 0.65, x + tall * (0.3 + bow), y - tall * (1 - Math.abs(bow)), tall * 0.035, [
      grey,
      grey,
      grey,
    ]);
  }
}

/** The pond with a plank bridge over the sluice; herons, and wind on the water. */
export const lilyPond: PlaceSpec = {
  ground: () => `<rect width="1280" height="180" fill="#b8cbd8"/><rect y="150" width="1280" height="110" fill="#6f8a55"/>${reeds}
    <rect y="250" width="1280" height="470" fill="#56707a"/><polygon points="0,720 0,640 500,720" fill="#7c7a58"/>
    <rect x="820" y="300" width="360" height="26" fill="#8b7350"/><rect x="820" y="322" width="360" height="8" fill="#5e4c33"/>
    <rect x="840" y="326" width="14" height="70" fill="#5e4c33"/><rect x="1140" y="326" width="14" height="70" fill="#5e4c33"/>
    <rect x="820" y="240" width="6" height="64" fill="#6d5a3f"/><rect x="1174" y="240" width="6" height="64" fill="#6d5a3f"/>`,
  // Over the plank, one way or the other.
  ways: [
    [
      [0.62, 0.43],
      [0.95, 0.43],
    ],
    [
      [0.95, 0.43],
      [0.62, 0.43],
    ],
  ],
  high: () => 0.24,
  visits: [50_000, 70_000],
  behind: (canvas, t, seed, light, { herons = true }) => {
    paintWater(canvas, t, seed, light);
    if (herons) paintHerons(canvas, t, seed, light);
  },
};
