import { block } from '../gatehouse/brush.js';
import type { PlaceSpec } from './place.js';

const drawers = Array.from(
  { length: 40 },
  (_, i) =>
    `<rect x="${70 + (i % 8) * 44}" y="${170 + Math.floor(i / 8) * 70}" width="40" height="62" fill="#${i % 3 === 0 ? 'a08c6a' : '94805f'}" stroke="#5d4f3a" stroke-width="2"/><circle cx="${90 + (i % 8) * 44}" cy="${200 + Math.floor(i / 8) * 70}" r="4" fill="#3c3226"/>`,
).join('');
const jars = Array.from(
  { length: 14 },
  (_, i) =>
    `<rect x="${880 + (i % 7) * 46}" y="${230 + Math.floor(i / 7) * 110}" width="34" height="56" rx="6" fill="#${['7d8f6a', '8a7457', '6b7f86'][i % 3]}"/>`,
).join('');

/** When the jar on the shelf is taken and put back: for a while in each ten minutes. */
const jarIsAway = (t: number): boolean => t % 600_000 > 150_000 && t % 600_000 < 210_000;

/** A corridor indoors, with a lamp that is switched, drawers, and a shelf where anything at all matters. */
export const seedVault: PlaceSpec = {
  ground:
    () => `<rect width="1280" height="720" fill="#b6b2a6"/><polygon points="0,0 480,150 480,520 0,720" fill="#c3beb0"/><polygon points="1280,0 800,150 800,520 1280,720" fill="#c3beb0"/>
    <rect x="480" y="150" width="320" height="370" fill="#a9a598"/><rect x="560" y="250" width="160" height="270" fill="#5c6b62"/><circle cx="700" cy="390" r="7" fill="#d8cfa8"/>
    <polygon points="0,720 480,520 800,520 1280,720" fill="#8f887a"/>${drawers}
    <rect x="860" y="288" width="350" height="10" fill="#6f5d42"/><rect x="860" y="398" width="350" height="10" fill="#6f5d42"/>${jars}
    <rect x="600" y="20" width="80" height="24" rx="10" fill="#f4efe0"/>`,
  ways: [
    [
      [0.5, 0.73],
      [0.5, 0.85],
      [0.46, 1.3],
    ],
    [
      [0.54, 1.3],
      [0.5, 0.85],
      [0.5, 0.73],
    ],
  ],
  high: (y) => 0.32 + 0.6 * (y - 0.73),
  visits: [60_000, 90_000],
  lamp: (_, { lamp = true }) => (lamp ? 1 : 0.24),
  before: (canvas, t, _, light) => {
    if (!jarIsAway(t)) return;
    const { width, height } = canvas;
    const wall = light.night ? 190 * light.gain[0] : 195 * light.gain[1];
    block(canvas, 0.724 * width, 0.318 * height, 0.752 * width, 0.398 * height, [wall, wall * 0.98, wall * 0.92]);
  },
};
