import { between, chance } from '../gatehouse/chance.js';
import type { PlaceSpec } from './place.js';

const next = chance(71);
const pots = Array.from({ length: 78 }, (_, i) => {
  const row = Math.floor(i / 13);
  const [x, y, size] = [40 + (i % 13) * 96 + (row % 2) * 30, 300 + row * 70, 20 + row * 5];
  const g = Math.round(between(next, 90, 140));
  return `<rect x="${x}" y="${y}" width="${size * 1.6}" height="${size}" fill="#a4623f"/><ellipse cx="${x + size * 0.8}" cy="${y - size * 0.3}" rx="${size}" ry="${size * 0.7}" fill="rgb(${g - 34},${g},${g - 52})"/>`;
}).join('');

/** Rows of pots under the sky; an old camera that uploads stills and sends mail. */
export const nursery: PlaceSpec = {
  ground:
    () => `<rect width="1280" height="200" fill="#c2d2dc"/><rect y="170" width="1280" height="60" fill="#6f8755"/><rect y="220" width="1280" height="500" fill="#a99c7e"/>
    <rect x="60" y="120" width="300" height="110" fill="#dde6e2" stroke="#8d958f" stroke-width="5"/>${pots}`,
  ways: [
    [
      [-0.06, 0.5],
      [0.5, 0.52],
      [1.06, 0.5],
    ],
    [
      [1.06, 0.7],
      [0.5, 0.66],
      [-0.06, 0.7],
    ],
  ],
  high: (y) => 0.14 + 0.35 * (y - 0.4),
  visits: [55_000, 80_000],
};
