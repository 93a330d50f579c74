import { type Passage, passagesOf, type Spacing, type Van, vansOf, type Walker, walkersOf } from './actors.js';
import { paintBirch, paintDapples } from './birch.js';
import { paintVan, paintWalker } from './figures.js';
import { paintGround } from './ground.js';
import { lightAt } from './light.js';
import { type Part, Sensor } from './sensor.js';

/** What a scene is made from; the same values always give the same pictures. */
export interface SceneOptions {
  readonly seed: number;
  readonly width: number;
  readonly height: number;
  /** Length that is planned ahead, in ms. */
  readonly lengthMs: number;
  /** Hour of the day (0 to 24) at a scene time in ms. */
  readonly hourAt: (t: number) => number;
  /** How close walkers follow each other; about one a minute unless said. */
  readonly spacing?: Spacing;
  /** Nobody comes while it is empty. */
  readonly conditions?: { readonly empty?: boolean };
}

/** The gatehouse with its drive. `paint` may be called for any scene time in any order. */
export interface Scene {
  readonly width: number;
  readonly height: number;
  /** The picture at scene time `t` (ms) as red, green and blue bytes; the buffer is used again by the next call. */
  paint(t: number): Buffer;
  /** The truth: when somebody is on the drive. */
  readonly passages: readonly Passage[];
}

/** What stands nearer than the road and hides a van: house, gate posts, wall (left, top, right, foot of each). */
const beforeTheRoad: readonly Part[] = [
  [0.011, 0.245, 0.241, 0.26],
  [0.028, 0.255, 0.224, 0.56],
  [0.062, 0.133, 0.196, 0.25],
  [0.366, 0.33, 0.398, 0.56],
  [0.593, 0.32, 0.624, 0.56],
  [0, 0.417, 1, 0.56],
];

/** Makes the scene: paints its ground once and plans its actors from the seed. */
export async function makeScene(options: SceneOptions): Promise<Scene> {
  const { seed, width, height } = options;
  const sensor = new Sensor(width, height, await paintGround(width, height));
  const { canvas } = sensor;
  const walkers: readonly Walker[] = walkersOf(seed, options.lengthMs, options.spacing);
  const vans: readonly Van[] = vansOf(seed, options.lengthMs);

  return {
    width,
    height,
    passages: passagesOf(seed, options.lengthMs, options.spacing),
    paint(t) {
      const light = lightAt(options.hourAt(t), t, seed);
      sensor.expose(light);
      for (const van of vans) paintVan(canvas, van, t, light);
      for (const part of beforeTheRoad) sensor.cover(part, light);
      paintDapples(canvas, t, seed, light);
      if (!options.conditions?.empty) for (const walker of walkers) paintWalker(canvas, walker, t, light);
      paintBirch(canvas, t, seed, light);
      sensor.addNoise(light, seed * 31 + Math.round(t));
      return sensor.picture;
    },
  };
}
