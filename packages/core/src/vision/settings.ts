import { type Camera, durationMs, type Group, type SiteDocument, shareFraction, type WatchingInForce } from '@causalis/contract';
import type { MotionSettings } from './motion.js';

/** What holds where a camera's document says nothing. */
export const watchingDefaults = {
  difference: 14,
  threshold: '0.1%',
  smallest: '0.05%',
  largest: '60%',
  'at-least': '400ms',
  quiet: '6s',
  pause: '0s',
} as const;

/** Each value by which a camera is watched, and where it comes from: itself, its group, or what holds where nobody says. */
export function watchingInForce({ cameras, groups }: Pick<SiteDocument, 'cameras' | 'groups'>, key: string): WatchingInForce[] {
  const { watching, group } = cameras[key];
  const shared = group === undefined ? {} : (groups[group]?.watching ?? {});
  return (Object.keys(watchingDefaults) as (keyof typeof watchingDefaults)[]).map((name) => {
    const [value, from] =
      watching[name] !== undefined
        ? [watching[name], 'camera' as const]
        : shared[name] !== undefined
          ? [shared[name], 'group' as const]
          : [watchingDefaults[name], 'default' as const];
    return { name, value: String(value), from, ...(from === 'group' && group !== undefined ? { group } : {}) };
  });
}

/** A camera's watching and marks as plain numbers for the detector; what its group says holds where it says nothing itself. */
export function motionSettings(camera: Pick<Camera, 'marks' | 'watching'>, group?: Pick<Group, 'watching'>): MotionSettings {
  const watching = { ...watchingDefaults, ...group?.watching, ...camera.watching };
  const marks = Object.entries(camera.marks);
  return {
    difference: watching.difference,
    threshold: shareFraction(watching.threshold),
    smallest: shareFraction(watching.smallest),
    largest: shareFraction(watching.largest),
    atLeastMs: durationMs(watching['at-least']),
    quietMs: durationMs(watching.quiet),
    pauseMs: durationMs(watching.pause),
    zones: marks.flatMap(([name, mark]) => (mark.zone ? [{ name, area: mark.zone }] : [])),
    ignored: marks.flatMap(([, mark]) => (mark.ignored ? [mark.ignored] : [])),
  };
}
