import { between, chance } from '../gatehouse/chance.js';
import type { PlaceSpec } from './place.js';

const next = chance(53);
const palms = Array.from({ length: 26 }, () => {
  const [x, y, r] = [between(next, 60, 1220), between(next, 120, 300), between(next, 30, 90)];
  const g = Math.round(between(next, 70, 120));
  return `<ellipse cx="${x}" cy="${y}" rx="${r}" ry="${r * 0.45}" transform="rotate(${between(next, -50, 50)} ${x} ${y})" fill="rgb(${g - 30},${g},${g - 40})"/>`;
}).join('');
const panes = Array.from({ length: 17 }, (_, i) => `<path d="M${i * 80} 40V400" stroke="#e6ebe4" stroke-width="5"/>`).join('');
const slabs = Array.from(
  { length: 12 },
  (_, i) => `<path d="M${640 + (i - 5.5) * 62} 400L${640 + (i - 5.5) * 210} 720" stroke="#a59d8c" stroke-width="2"/>`,
).join('');

/** The double door of the large glasshouse, seen from inside: visitors come in towards the camera, and go out. */
export const palmHouse: PlaceSpec = {
  ground: () => `<rect width="1280" height="720" fill="#c4cfc6"/>${palms}${panes}
    <rect y="34" width="1280" height="14" fill="#e6ebe4"/><rect y="200" width="1280" height="8" fill="#e6ebe4"/>
    <rect x="470" y="130" width="340" height="274" fill="#dfe8ec"/><rect x="470" y="130" width="340" height="274" fill="none" stroke="#6f6a5c" stroke-width="14"/>
    <rect x="634" y="130" width="12" height="274" fill="#6f6a5c"/>
    <polygon points="0,400 1280,400 1280,720 0,720" fill="#b9b09c"/>${slabs}
    <path d="M0 470H1280M0 560H1280" stroke="#a59d8c" stroke-width="2"/>
    <rect x="40" y="380" width="240" height="120" fill="#7a5f45"/><ellipse cx="160" cy="360" rx="130" ry="70" fill="#4d7040"/>
    <rect x="1000" y="380" width="240" height="120" fill="#7a5f45"/><ellipse cx="1120" cy="356" rx="130" ry="76" fill="#57793f"/>`,
  // In through the door and past the camera, or back out.
  ways: [
    [
      [0.48, 0.56],
      [0.47, 0.75],
      [0.4, 1.4],
    ],
    [
      [0.53, 0.56],
      [0.54, 0.75],
      [0.62, 1.4],
    ],
    [
      [0.42, 1.4],
      [0.47, 0.75],
      [0.49, 0.56],
    ],
    [
      [0.58, 1.4],
      [0.53, 0.75],
      [0.52, 0.56],
    ],
  ],
  high: (y) => 0.2 + 0.55 * (y - 0.55),
  visits: [9_000, 22_000],
};
