import { type Passage, passagesOf, type Spacing, type Van, vansOf, type Walker, walkersOf } from './actors.js';
import { paintBirch, paintDapples } from './birch.js';
import type { Canvas } from './brush.js';
import { chance } from './chance.js';
import { paintVan, paintWalker } from './figures.js';
import { paintGround } from './ground.js';
import { lightAt } from './light.js';

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

const noiseLength = 1 << 20;

/** Normally distributed noise of standard deviation 1, times 32, drawn once. */
function drawNoise(): Int8Array {
  const next = chance(13);
  const table = new Int8Array(noiseLength);
  for (let i = 0; i < noiseLength; i++) {
    const radius = Math.sqrt(-2 * Math.log(1 - next()));
    table[i] = Math.max(-127, Math.min(127, Math.round(radius * Math.cos(6.283185 * next()) * 32)));
  }
  return table;
}
let sharedNoise: Int8Array | undefined;
export const noiseTable = (): Int8Array => {
  sharedNoise ??= drawNoise();
  return sharedNoise;
};

export function addNoise(bytes: Uint8Array, deviation: number, from: number, grey: boolean, noise: Int8Array): void {
  const mask = noiseLength - 1;
  const levels = new Int16Array(256);
  for (let i = 0; i < 256; i++) levels[i] = Math.round((((i << 24) >> 24) * deviation) / 32);
  if (grey) {
    for (let i = 0, k = from; i < bytes.length; i += 3, k++) {
      const v = Math.min(255, Math.max(0, bytes[i] + levels[noise[k & mask] & 255]));
      bytes[i] = v;
      bytes[i + 1] = v;
      bytes[i + 2] = v;
    }
    return;
  }
  for (let i = 0, k = from; i < bytes.length; i++, k++) bytes[i] = Math.min(255, Math.max(0, bytes[i] + levels[noise[k & mask] & 255]));
}

/** What stands nearer than the road and hides a van: house, gate posts, wall (left, top, right, foot of each). */
const beforeTheRoad = [
  [0.011, 0.245, 0.241, 0.26],
  [0.028, 0.255, 0.224, 0.56],
  [0.062, 0.133, 0.196, 0.25],
  [0.366, 0.33, 0.398, 0.56],
  [0.593, 0.32, 0.624, 0.56],
  [0, 0.417, 1, 0.56],
] as const;

/** Lays one rectangle of the standing ground onto the canvas, in the light of the moment. */
export function layGround(canvas: Canvas, ground: Buffer, [r, g, b]: Uint8Array[], part: readonly [number, number, number, number]): void {
  const [left, top, right, foot] = part;
  for (let y = Math.round(top * canvas.height); y < Math.round(foot * canvas.height); y++) {
    const end = (y * canvas.width + Math.round(right * canvas.width)) * 3;
    for (let i = (y * canvas.width + Math.round(left * canvas.width)) * 3; i < end; i += 3) {
      canvas.bytes[i] = r[ground[i]];
      canvas.bytes[i + 1] = g[ground[i + 1]];
      canvas.bytes[i + 2] = b[ground[i + 2]];
    }
  }
}

/** Makes the scene: paints its ground once and plans its actors from the seed. */
export async function makeScene(options: SceneOptions): Promise<Scene> {
  const { seed, width, height } = options;
  const ground = await paintGround(width, height);
  const groundGrey = Buffer.alloc(ground.length);
  for (let i = 0; i < ground.length; i += 3) groundGrey.fill(0.3 * ground[i] + 0.59 * ground[i + 1] + 0.11 * ground[i + 2], i, i + 3);
  const walkers: readonly Walker[] = walkersOf(seed, options.lengthMs, options.spacing);
  const vans: readonly Van[] = vansOf(seed, options.lengthMs);
  const noise = noiseTable();
  const bytes = Buffer.alloc(ground.length);
  const canvas: Canvas = { width, height, bytes };

  return {
    width,
    height,
    passages: passagesOf(seed, options.lengthMs, options.spacing),
    paint(t) {
      const light = lightAt(options.hourAt(t), t, seed);
      const from = light.night ? groundGrey : ground;
      const tables = light.gain.map((gain) => Uint8Array.from({ length: 256 }, (_, v) => Math.min(255, v * gain)));
      layGround(canvas, from, tables, [0, 0, 1, 1]);
      for (const van of vans) paintVan(canvas, van, t, light);
      for (const part of beforeTheRoad) layGround(canvas, from, tables, part);
      paintDapples(canvas, t, seed, light);
      for (const walker of walkers) paintWalker(canvas, walker, t, light);
      paintBirch(canvas, t, seed, light);
      const start = Math.floor(chance(seed * 31 + Math.round(t))() * noiseLength);
      addNoise(bytes, light.noise, start, light.night, noise);
      return bytes;
    },
  };
}
