import sharp from 'sharp';
import { coats, feet, type Point, trousers, type Walker, walkMs } from '../gatehouse/actors.js';
import type { Canvas } from '../gatehouse/brush.js';
import { between, chance } from '../gatehouse/chance.js';
import { paintWalker } from '../gatehouse/figures.js';
import { type Light, lightAt } from '../gatehouse/light.js';
import { Sensor } from '../gatehouse/sensor.js';
import { type Conditions, spoil } from './conditions.js';

/** Somebody who walks through a place, and what the scene knows of it: times in ms of the scene. */
export interface Visit {
  readonly walker: Walker;
  /** Which of the place's ways was taken. */
  readonly way: number;
}

/** One place of the garden: what stands there, who walks there, what moves by itself. */
export interface PlaceSpec {
  /** The standing part as the inside of an SVG of 1280 × 720. */
  readonly ground: () => string;
  /** Ways that people take. */
  readonly ways: readonly (readonly Point[])[];
  /** Height of a person whose feet are at a place, as a share of the picture's height. */
  readonly high: (y: number) => number;
  /** Shortest and longest time from one visit to the next, ms; nobody comes where there is none. */
  readonly visits?: readonly [number, number];
  /** Light that does not come from the sky. */
  readonly lamp?: (t: number, conditions: Conditions) => number;
  /** What moves by itself, behind and before the people. */
  readonly behind?: (canvas: Canvas, t: number, seed: number, light: Light, conditions: Conditions) => void;
  readonly before?: (canvas: Canvas, t: number, seed: number, light: Light, conditions: Conditions) => void;
}

export interface PlaceOptions {
  readonly seed: number;
  readonly width: number;
  readonly height: number;
  readonly lengthMs: number;
  readonly hourAt: (t: number) => number;
  readonly conditions?: Conditions;
}

/** A place at work: its picture at any time, and the truth. */
export interface Place {
  readonly width: number;
  readonly height: number;
  paint(t: number): Buffer;
  readonly visits: readonly Visit[];
}

const firstVisitMs = 20_000;

/** Who walks through a place in the first `lengthMs`. */
export function visitsOf(spec: PlaceSpec, seed: number, lengthMs: number): Visit[] {
  if (!spec.visits) return [];
  const next = chance(seed * 6151 + 5);
  const visits: Visit[] = [];
  const [shortest, longest] = spec.visits;
  for (let from = firstVisitMs; from < lengthMs; ) {
    const way = Math.floor(next() * spec.ways.length);
    const path = spec.ways[way].map(([x, y]): Point => [x + between(next, -0.008, 0.008), y + between(next, -0.008, 0.008)]);
    const pace = between(next, 0.9, 1.6);
    const to = from + walkMs(path, pace, spec.high);
    const walker: Walker = {
      from,
      to,
      path,
      steps: pace * 1.35,
      tall: between(next, 0.93, 1.07),
      coat: coats[Math.floor(next() * coats.length)],
      trousers: trousers[Math.floor(next() * trousers.length)],
      high: spec.high,
    };
    visits.push({ walker, way });
    from = Math.max(from + between(next, shortest, longest), shortest < 10_000 ? 0 : to + 5_000);
  }
  return visits;
}

/** Where somebody's feet are at a time. */
export const feetAt = ({ walker }: Visit, t: number): Point | undefined => feet(walker, t);

/** Makes a place: paints what stands there once, and plans who comes from the seed. */
export async function makePlace(spec: PlaceSpec, options: PlaceOptions): Promise<Place> {
  const { seed, width, height, conditions = {} } = options;
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1280 720" width="${width}" height="${height}">${spec.ground()}</svg>`;
  const ground = await sharp(Buffer.from(svg)).resize(width, height, { fit: 'fill' }).removeAlpha().raw().toBuffer();
  const sensor = new Sensor(width, height, ground);
  const { canvas, picture } = sensor;
  const visits = visitsOf(spec, seed, options.lengthMs);
  let frozen: Buffer | undefined;
  return {
    width,
    height,
    visits,
    paint(t) {
      if (conditions.frozen && frozen) return frozen;
      const sky = lightAt(options.hourAt(t), t, seed);
      const lamp = spec.lamp?.(t, conditions);
      const light: Light =
        lamp === undefined ? sky : { night: lamp < 0.3, gain: [lamp, lamp * 0.97, lamp * 0.9], sun: 0, noise: 2 + (1 - lamp) * 4 };
      sensor.expose(light);
      spec.behind?.(canvas, t, seed, light, conditions);
      if (!conditions.empty) for (const { walker } of visits) paintWalker(canvas, walker, t, light);
      spec.before?.(canvas, t, seed, light, conditions);
      spoil(canvas, t, seed, conditions);
      sensor.addNoise(light, seed * 31 + Math.round(t));
      frozen = conditions.frozen ? Buffer.from(picture) : undefined;
      return picture;
    },
  };
}
