import { between, chance } from './chance.js';

/** A point of the picture: 0 to 1, x to the right, y down. */
export type Point = readonly [x: number, y: number];

/** A person who walks across the drive; `from` and `to` in milliseconds of the scene. */
export interface Walker {
  readonly from: number;
  readonly to: number;
  readonly path: readonly Point[];
  /** Steps a second, which goes with the pace. */
  readonly steps: number;
  readonly tall: number;
  readonly coat: readonly [number, number, number];
  readonly trousers: readonly [number, number, number];
  /** Height of a person whose feet are at a place of the picture, where it is not that of the drive. */
  readonly high?: (y: number) => number;
}

/** A van that passes on the road. */
export interface Van {
  readonly from: number;
  readonly to: number;
  readonly rightward: boolean;
  readonly paint: readonly [number, number, number];
  readonly long: number;
}

/** What the scene knows: when which walker is on the drive, in milliseconds of the scene. */
export interface Passage {
  readonly from: number;
  readonly to: number;
}

/** The outline of the drive on the picture. */
export const drive: readonly Point[] = [
  [0.08, 0.55],
  [0.92, 0.5],
  [1, 1],
  [0, 1],
];

/** Height of a person of 1.75 m whose feet are at `y`, as a share of the picture's height. */
export const personHeight = (y: number): number => 0.08 + 0.36 * (y - 0.5);

const firstWalkerMs = 20_000;

export const coats = [
  [58, 62, 92],
  [128, 44, 40],
  [52, 74, 58],
  [212, 196, 120],
  [34, 36, 40],
  [190, 190, 196],
] as const;
export const trousers = [
  [40, 42, 52],
  [74, 64, 50],
  [60, 66, 84],
] as const;
export const paints = [
  [226, 226, 222],
  [172, 38, 34],
  [46, 74, 118],
  [44, 48, 50],
] as const;

export function inside(polygon: readonly Point[], [x, y]: Point): boolean {
  let odd = false;
  for (let i = 0, j = polygon.length - 1; i < polygon.length; j = i++) {
    const [xi, yi] = polygon[i];
    const [xj, yj] = polygon[j];
    if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) odd = !odd;
  }
  return odd;
}

/** Time in milliseconds that somebody of `pace` (m/s) needs along `path`: far ground passes slower on the picture. */
export function walkMs(path: readonly Point[], pace: number, high = personHeight): number {
  let seconds = 0;
  for (let i = 1; i < path.length; i++) {
    const [x0, y0] = path[i - 1];
    const [x1, y1] = path[i];
    const pieces = 20;
    for (let k = 0; k < pieces; k++) {
      const metre = high(y0 + ((y1 - y0) * (k + 0.5)) / pieces) / 1.75;
      // Width counts 16/9 of height; ground going away from the camera is foreshortened to about a third.
      const across = ((x1 - x0) / pieces) * (16 / 9);
      const away = ((y1 - y0) / pieces) * 3;
      seconds += Math.hypot(across, away) / metre / pace;
    }
  }
  return seconds * 1000;
}

function pathOf(next: () => number): readonly Point[] {
  const y0 = between(next, 0.68, 0.88);
  const y1 = between(next, 0.68, 0.88);
  const way = Math.floor(next() * 4);
  if (way === 0)
    return [
      [-0.06, y0],
      [0.5, (y0 + y1) / 2],
      [1.06, y1],
    ];
  if (way === 1)
    return [
      [1.06, y0],
      [0.5, (y0 + y1) / 2],
      [-0.06, y1],
    ];
  // From the foot of the picture to one side, or back down again.
  const x = between(next, 0.25, 0.75);
  if (way === 2)
    return [
      [x, 1.34],
      [0.45, 0.72],
      [-0.06, 0.7],
    ];
  return [
    [1.06, 0.72],
    [0.6, 0.74],
    [x, 1.34],
  ];
}

/** Where a walker's feet are at scene time `t`, or nothing when not in the scene. */
export function feet(walker: Walker, t: number): Point | undefined {
  if (t < walker.from || t > walker.to) return undefined;
  const part = ((t - walker.from) / (walker.to - walker.from)) * (walker.path.length - 1);
  const i = Math.min(Math.floor(part), walker.path.length - 2);
  const [x0, y0] = walker.path[i];
  const [x1, y1] = walker.path[i + 1];
  return [x0 + (x1 - x0) * (part - i), y0 + (y1 - y0) * (part - i)];
}

/** Shortest and longest time from one walker to the next, and the least between their ways, ms. */
export interface Spacing {
  readonly shortest: number;
  readonly longest: number;
  readonly between: number;
}
const oneAMinute: Spacing = { shortest: 52_000, longest: 66_000, between: 20_000 };

/** The walkers of the first `untilMs` of a scene: the first after 20 s, then about one a minute unless said. */
export function walkersOf(seed: number, untilMs: number, spacing: Spacing = oneAMinute): Walker[] {
  const next = chance(seed * 7919 + 1);
  const walkers: Walker[] = [];
  let from = firstWalkerMs;
  while (from < untilMs) {
    const path = pathOf(next);
    const pace = between(next, 1.0, 1.9);
    const to = from + walkMs(path, pace);
    walkers.push({
      from,
      to,
      path,
      steps: pace * 1.35,
      tall: between(next, 0.92, 1.08),
      coat: coats[Math.floor(next() * coats.length)],
      trousers: trousers[Math.floor(next() * trousers.length)],
    });
    from = Math.max(from + between(next, spacing.shortest, spacing.longest), to + spacing.between);
  }
  return walkers;
}

/** The vans of the first `untilMs` of a scene: one every six to twenty seconds. */
export function vansOf(seed: number, untilMs: number): Van[] {
  const next = chance(seed * 104_729 + 2);
  const vans: Van[] = [];
  let from = between(next, 1_000, 8_000);
  while (from < untilMs) {
    const speed = between(next, 7, 14);
    vans.push({
      from,
      to: from + (34 / speed) * 1000,
      rightward: next() < 0.5,
      paint: paints[Math.floor(next() * paints.length)],
      long: between(next, 0.2, 0.28),
    });
    from += between(next, 6_000, 20_000);
  }
  return vans;
}

/** The truth of a scene: each walker's time with both feet on the drive and in the picture. */
export function passagesOf(seed: number, untilMs: number, spacing?: Spacing): Passage[] {
  return walkersOf(seed, untilMs, spacing).map((walker) => {
    let from = walker.to;
    let to = walker.from;
    for (let t = walker.from; t <= walker.to; t += 20) {
      const at = feet(walker, t);
      if (at && at[0] >= 0 && at[0] <= 1 && inside(drive, [at[0], Math.min(at[1], 0.999)])) {
        from = Math.min(from, t);
        to = Math.max(to, t);
      }
    }
    return { from, to };
  });
}
