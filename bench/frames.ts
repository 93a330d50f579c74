import { readdir, readFile } from 'node:fs/promises';
import path from 'node:path';
import type { Camera, Position } from '@causalis/contract';
import { motionDetector, motionSettings, type OpsFor, wasmOps } from '@causalis/core';
import { decodeGrey } from '@causalis/service';
import { median } from './figure.js';

/** What the detection made of a folder of pictures. Frames count from 0. */
export interface FramesReport {
  readonly events: readonly { readonly first: number; readonly last: number }[];
  readonly msPerFrame: { readonly decode: number; readonly detect: number };
}

/** The detection's kernel with vectors, as the watchers use it. */
export const kernelSteps = async (): Promise<OpsFor> => wasmOps(await readFile(new URL(import.meta.resolve('@causalis/core/kernel.wasm'))));

/** Runs the pictures of a folder, in the order of their names, through the detection with its usual settings. */
export async function watchFolder(folder: string, fps: number, zone?: readonly Position[]): Promise<FramesReport> {
  const names = (await readdir(folder))
    .filter((name) => /\.jpe?g$/i.test(name))
    .sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
  if (names.length === 0) throw new Error(`There is no JPEG in ${folder}.`);
  const marks: Camera['marks'] = zone ? { zone: { zone: [...zone] } } : {};
  const detector = motionDetector(motionSettings({ marks, watching: {} }), await kernelSteps());
  const events: { first: number; last: number }[] = [];
  const times = { decode: [] as number[], detect: [] as number[] };
  const frameOf = (ms: number) => Math.round((ms * fps) / 1000);
  for (const [frame, name] of names.entries()) {
    const bytes = await readFile(path.join(folder, name));
    const began = performance.now();
    const grey = decodeGrey(bytes, (width, height) => detector.roomFor(width, height));
    if ('wrong' in grey) throw new Error(`${name}: ${grey.wrong}`);
    const decoded = performance.now();
    const look = detector.see({ ...grey, timeMs: (frame * 1000) / fps });
    times.decode.push(decoded - began);
    times.detect.push(performance.now() - decoded);
    for (const { change, firstMs, lastMs } of look.changes) {
      if (change === 'began') events.push({ first: frameOf(firstMs), last: frame });
      else events[events.length - 1] = { first: frameOf(firstMs), last: frameOf(lastMs) };
    }
  }
  const still = events.at(-1);
  const moving = detector.moving;
  if (still && moving) events[events.length - 1] = { first: still.first, last: frameOf(moving.lastMs) };
  const round = (ms: number) => Math.round(ms * 1000) / 1000;
  return { events, msPerFrame: { decode: round(median(times.decode)), detect: round(median(times.detect)) } };
}

/** `vision --frames DIR --fps N [--zone "x,y x,y …"]`: what was wrong with how it was said, or what was found. */
export async function frames(args: readonly string[]): Promise<{ report: FramesReport } | { wrong: string }> {
  const option = (name: string) => {
    const at = args.indexOf(`--${name}`);
    return at < 0 ? undefined : args[at + 1];
  };
  const [folder, fps, zone] = [option('frames'), Number(option('fps') ?? 10), option('zone')];
  if (!folder) return { wrong: '--frames wants a folder of JPEGs' };
  if (!(fps > 0 && fps <= 240)) return { wrong: '--fps wants the pictures a second, 1 to 240' };
  const corners = zone
    ?.trim()
    .split(/\s+/)
    .map((corner) => corner.split(',').map(Number) as unknown as Position);
  if (corners && (corners.length < 3 || corners.some((corner) => corner.length !== 2 || !corner.every((n) => n >= 0 && n <= 1))))
    return { wrong: '--zone wants three corners or more, each "x,y" from 0 to 1' };
  return { report: await watchFolder(folder, fps, corners) };
}
