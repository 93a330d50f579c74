import { type Camera, durationMs, shareFraction } from '@causalis/contract';
import type { MotionSettings } from './motion.js';

/** What holds where a camera's document says nothing. */
export const watchingDefaults = {
  difference: 14,
  threshold: '0.4%',
  smallest: '0.05%',
  largest: '60%',
  'at-least': '400ms',
  quiet: '6s',
} as const;

/** A camera's watching and marks as plain numbers for the detector. */
export function motionSettings(camera: Pick<Camera, 'marks' | 'watching'>): MotionSettings {
  const watching = { ...watchingDefaults, ...camera.watching };
  const marks = Object.entries(camera.marks);
  return {
    difference: watching.difference,
    threshold: shareFraction(watching.threshold),
    smallest: shareFraction(watching.smallest),
    largest: shareFraction(watching.largest),
    atLeastMs: durationMs(watching['at-least']),
    quietMs: durationMs(watching.quiet),
    zones: marks.flatMap(([name, mark]) => (mark.zone ? [{ name, corners: mark.zone }] : [])),
    ignored: marks.flatMap(([, mark]) => (mark.ignored ? [mark.ignored] : [])),
  };
}
