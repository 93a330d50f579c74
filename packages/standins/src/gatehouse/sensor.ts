import { readFileSync } from 'node:fs';
import type { Canvas } from './brush.js';
import { chance } from './chance.js';
import type { Light } from './light.js';

/** The little of WebAssembly that is needed; Node's types do not declare it. */
declare const WebAssembly: {
  Module: new (bytes: Uint8Array) => object;
  Instance: new (module: object, imports: object) => { readonly exports: unknown };
};
interface Steps {
  readonly memory: { readonly buffer: ArrayBuffer; grow(pages: number): number };
  expose(ground: number, picture: number, from: number, to: number, tables: number): void;
  addNoise(picture: number, size: number, noise: number): void;
  addGreyNoise(picture: number, size: number, noise: number): void;
}

const pageBytes = 65_536;
const noiseLength = 1 << 20;
/** Vectors may run over an array's end. */
const guard = 64;
let compiled: object | undefined;

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
let drawn: Int8Array | undefined;

/** A rectangle of the picture: left, top, right and foot, 0 to 1. */
export type Part = readonly [left: number, top: number, right: number, foot: number];

/**
 * The sensor of a simulated camera: the standing ground (red, green and blue bytes) in the light of a moment, on a canvas
 * that is used again for each picture, and the noise over what is painted on it.
 */
export class Sensor {
  readonly canvas: Canvas;
  /** The canvas's bytes. */
  readonly picture: Buffer;
  private readonly steps: Steps;
  private readonly colours: Buffer;
  private readonly grey: Buffer;
  private readonly tables: Uint8Array;
  private readonly noise: Int8Array;
  private noiseLevels = '';

  constructor(width: number, height: number, ground: Buffer) {
    compiled ??= new WebAssembly.Module(readFileSync(new URL('../../sensor.wasm', import.meta.url)));
    this.steps = new WebAssembly.Instance(compiled, { env: { abort: () => undefined } }).exports as Steps;
    const { memory } = this.steps;
    const size = ground.length + guard;
    const sizes = [size, size, size, 768, noiseLength + size];
    const starts = sizes.map((_, i) => sizes.slice(0, i).reduce((sum, one) => sum + one, pageBytes));
    memory.grow(Math.ceil((pageBytes + sizes.reduce((sum, one) => sum + one) - memory.buffer.byteLength) / pageBytes));
    const bytes = (i: number, length: number) => Buffer.from(memory.buffer, starts[i], length);
    this.colours = bytes(0, ground.length);
    this.grey = bytes(1, ground.length);
    this.picture = bytes(2, ground.length);
    this.tables = bytes(3, 768);
    this.noise = new Int8Array(memory.buffer, starts[4], noiseLength + size);
    this.colours.set(ground);
    for (let i = 0; i < ground.length; i += 3) this.grey.fill(0.3 * ground[i] + 0.59 * ground[i + 1] + 0.11 * ground[i + 2], i, i + 3);
    this.canvas = { width, height, bytes: this.picture };
  }

  /** The whole ground in this light; what was painted is gone. */
  expose(light: Light): void {
    light.gain.forEach((gain, colour) => {
      for (let level = 0; level < 256; level++) this.tables[colour * 256 + level] = Math.min(255, level * gain);
    });
    this.step(light, 0, this.picture.length);
  }

  /** A part of the ground in the light that was exposed last: it stands before what was painted there. */
  cover([left, top, right, foot]: Part, light: Light): void {
    const { width, height } = this.canvas;
    for (let y = Math.round(top * height); y < Math.round(foot * height); y++)
      this.step(light, (y * width + Math.round(left * width)) * 3, (y * width + Math.round(right * width)) * 3);
  }

  /** Noise over the picture, another one for each `seed`; the same for all three colours where it is grey. */
  addNoise({ noise, night }: Light, seed: number): void {
    this.strengthen(noise);
    const from = this.noise.byteOffset + Math.floor(chance(seed)() * noiseLength);
    const { byteOffset, length } = this.picture;
    if (night) this.steps.addGreyNoise(byteOffset, length, from);
    else this.steps.addNoise(byteOffset, length, from);
  }

  private step({ night }: Light, from: number, to: number): void {
    const ground = night ? this.grey : this.colours;
    this.steps.expose(ground.byteOffset, this.picture.byteOffset, from, to, this.tables.byteOffset);
  }

  /** The noise at a standard deviation in levels of 255; it goes on beyond its end from its beginning. */
  private strengthen(deviation: number): void {
    drawn ??= drawNoise();
    const levels = Int8Array.from({ length: 256 }, (_, i) => Math.round((((i << 24) >> 24) * deviation) / 32));
    const name = levels.join();
    if (this.noiseLevels === name) return;
    for (let i = 0; i < this.noise.length; i++) this.noise[i] = levels[drawn[i & (noiseLength - 1)] & 255];
    this.noiseLevels = name;
  }
}
