import { between, chance } from '../gatehouse/chance.js';
import type { PlaceSpec } from './place.js';

const next = chance(83);
const beds = Array.from(
  { length: 90 },
  () =>
    `<circle cx="${between(next, 40, 1240)}" cy="${between(next, 330, 690)}" r="${between(next, 5, 16)}" fill="${['#7f9a58', '#5f7f45', '#8d4d6e', '#d8c25a', '#b8665a'][Math.floor(next() * 5)]}"/>`,
).join('');

/** The terraces as the mast sees them from above; its head looks at a part of this. */
export const mast: PlaceSpec = {
  ground:
    () => `<rect width="1280" height="230" fill="#b7cad8"/><rect y="190" width="1280" height="60" fill="#64804f"/><rect y="240" width="1280" height="480" fill="#93a56c"/>${beds}
    <polygon points="560,240 720,240 900,720 380,720" fill="#bdb197"/>${Array.from({ length: 7 }, (_, i) => `<rect x="${520 - i * 18}" y="${400 + i * 26}" width="${240 + i * 36}" height="14" fill="#d2c8b0" stroke="#8f8672"/>`).join('')}
    <rect x="70" y="160" width="190" height="100" fill="#cbbda0"/><polygon points="60,164 270,164 230,120 100,120" fill="#575a5e"/><ellipse cx="1060" cy="330" rx="150" ry="46" fill="#56707a"/>`,
  ways: [
    [
      [0.5, 0.36],
      [0.5, 0.7],
      [0.5, 1.2],
    ],
    [
      [-0.05, 0.62],
      [0.5, 0.6],
      [1.05, 0.62],
    ],
  ],
  high: (y) => 0.07 + 0.18 * (y - 0.35),
  visits: [40_000, 70_000],
};
