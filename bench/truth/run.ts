import { readFileSync } from 'node:fs';
import { isInside, motionDetector, motionSettings } from '@causalis/core';
import { readDocument } from '@causalis/document';
import { toJpeg } from '@causalis/standins';
import jpeg from '@julusian/jpeg-turbo';
import { kernelSteps } from '../frames.js';
import { openScene, trialScenes } from './scenes.js';

/** What the detection said of one scene, held against its truth. */
export interface TrialResult {
  readonly scene: string;
  readonly passages: number;
  readonly found: number;
  /** Events that belong to nobody, and people who were told of more than once. */
  readonly without: number;
  readonly twice: number;
  /** Frames from the first in the zone to the event, beyond `at-least`: each passage's. */
  readonly delays: readonly number[];
  readonly hours: number;
}

const everyMs = 200;
const graceMs = 1_500;
/** A detector that has just begun is asked for nothing. */
const beginMs = 15_000;

/** Runs a scene through JPEG, decoding and detection, with frame times handed in. */
export async function trial(name: string, seed: number, lengthMs: number, empty: boolean): Promise<TrialResult> {
  const scene = trialScenes[name];
  const read = readDocument(readFileSync(new URL('../../../demo/quillmere.yaml', import.meta.url), 'utf8'));
  if (!('value' in read)) throw new Error('the demonstration cannot be read');
  const camera = read.value.cameras[scene.camera];
  const settings = motionSettings(camera, read.value.groups[camera.group ?? '']);
  const zone = settings.zones.find((one) => one.name === scene.zone);
  // Somebody whose feet are below the picture is in it from the knees up.
  const inPicture = ([x, y]: readonly [number, number]) => x >= 0 && x <= 1 && y <= 1.3;
  const place = await openScene(
    scene,
    seed,
    lengthMs,
    empty,
    (feet) => inPicture(feet) && (!zone || isInside(zone.area, [feet[0], Math.min(feet[1], 0.999)])),
  );
  const detector = motionDetector(settings, await kernelSteps());
  const began: number[] = [];
  for (let t = 0; t < lengthMs; t += everyMs) {
    const { data, width, height } = jpeg.decompressSync(toJpeg(place.paint(t), place.width, place.height), { format: jpeg.FORMAT_GRAY });
    const look = detector.see({ width, height, bytes: data, timeMs: t });
    for (const change of look.changes) if (change.change === 'began' && change.zone === scene.zone) began.push(t);
  }
  const passages = place.passages.filter(({ from, to }) => to - from > 1_500 && to < lengthMs && from > beginMs);
  const within = (t: number, { from, to }: { from: number; to: number }) => t >= from - everyMs && t <= to + graceMs;
  const perPassage = passages.map((passage) => began.filter((t) => within(t, passage)));
  return {
    scene: name,
    passages: passages.length,
    // One event may tell of several who follow each other without the quiet between them.
    found: perPassage.filter((times) => times.length > 0).length,
    without: began.filter((t) => t > beginMs && !place.passages.some((passage) => within(t, passage))).length,
    twice: perPassage.filter((times) => times.length > 1).length,
    delays: perPassage.flatMap((times, i) => (times.length > 0 ? [(times[0] - passages[i].from - settings.atLeastMs) / everyMs] : [])),
    hours: lengthMs / 3_600_000,
  };
}
