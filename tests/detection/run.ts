import { readFile } from 'node:fs/promises';
import type { Camera } from '@causalis/contract';
import { motionDetector, motionSettings, wasmOps } from '@causalis/core';
import { makeScene, type Passage, toJpeg } from '@causalis/standins';
import jpeg from '@julusian/jpeg-turbo';
import { plan } from './plan.js';

/** What the detection said of one run, held against the truth of its scene. */
export interface RunResult {
  readonly seed: number;
  readonly hour: number;
  readonly walkers: number;
  readonly found: number;
  /** Walkers with more than one beginning. */
  readonly twice: number;
  /** Beginnings that belong to no walker. */
  readonly without: number[];
  readonly missed: Passage[];
}

const steps = wasmOps(await readFile(new URL(import.meta.resolve('@causalis/core/kernel.wasm'))));

/** Runs one scene through JPEG, decoding and the detection, frame by frame, with frame times handed in. */
export async function runScene(camera: Pick<Camera, 'marks' | 'watching'>, seed: number, hour: number): Promise<RunResult> {
  const lengthMs = plan.minutes * 60_000;
  const scene = await makeScene({ seed, width: plan.width, height: plan.height, lengthMs, hourAt: (t) => hour + t / 3_600_000 });
  const detector = motionDetector(motionSettings(camera), steps);
  const began: number[] = [];
  for (let t = 0; t < lengthMs; t += 1000 / plan.framesPerSecond) {
    const decoded = jpeg.decompressSync(toJpeg(scene.paint(t), plan.width, plan.height), { format: jpeg.FORMAT_GRAY });
    const look = detector.see({ width: decoded.width, height: decoded.height, bytes: decoded.data, timeMs: t });
    for (const { change } of look.changes) if (change === 'began') began.push(t);
  }
  const passages = scene.passages.filter(({ from, to }) => to - from > 2000 && to < lengthMs);
  const within = (t: number, { from, to }: Passage) => t >= from && t <= to + plan.graceMs;
  const counts = passages.map((passage) => began.filter((t) => within(t, passage)).length);
  return {
    seed,
    hour,
    walkers: passages.length,
    found: counts.filter((count) => count >= 1).length,
    twice: counts.filter((count) => count > 1).length,
    // A walker whose way goes on past the end of the run is no false alarm.
    without: began.filter((t) => !scene.passages.some((passage) => within(t, passage))),
    missed: passages.filter((_, i) => counts[i] === 0),
  };
}
