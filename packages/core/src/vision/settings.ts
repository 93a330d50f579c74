import {
  type Camera,
  durationMs,
  type Group,
  kindOfMark,
  parseTimeOfDay,
  type SiteDocument,
  shareFraction,
  type Watching,
  type WatchingChange,
  type WatchingInForce,
  type WatchingValue,
  watchingValues,
} from '@causalis/contract';
import type { MotionSettings, MotionValues } from './motion.js';
import type { ObjectSettings } from './objects.js';

/** What holds where a camera's document says nothing. */
export const watchingDefaults = {
  difference: 14,
  threshold: '0.1%',
  smallest: '0.05%',
  largest: '60%',
  'at-least': '400ms',
  quiet: '6s',
  pause: '0s',
} as const satisfies Required<Omit<Watching, 'dark'>>;

/** Each value by which a camera is watched, and where it comes from: itself, its group, or what holds where nobody says. */
export function watchingInForce({ cameras, groups }: Pick<SiteDocument, 'cameras' | 'groups'>, key: string): WatchingInForce[] {
  const { watching, group } = cameras[key];
  const shared = group === undefined ? undefined : groups[group]?.watching;
  const one = (
    name: WatchingValue,
    own: Watching['dark'],
    theirs: Watching['dark'],
    usual: string | undefined,
  ): WatchingInForce | undefined => {
    const found =
      own?.[name] !== undefined
        ? ([own[name], 'camera'] as const)
        : theirs?.[name] !== undefined
          ? ([theirs[name], 'group'] as const)
          : usual !== undefined
            ? ([usual, 'default'] as const)
            : undefined;
    if (!found) return undefined;
    const [value, from] = found;
    return { name, value: String(value), from, ...(from === 'group' && group !== undefined ? { group } : {}) };
  };
  return [
    ...watchingValues.flatMap((name) => one(name, watching, shared, String(watchingDefaults[name])) ?? []),
    ...watchingValues.flatMap((name) => {
      const dark = one(name, watching.dark, shared?.dark, undefined);
      return dark ? [{ ...dark, dark: true as const }] : [];
    }),
  ];
}

/** What becomes of every camera's values when one document follows another: those that change, and those that keep to their own though their group changes. */
export function watchingChanges(
  before: Pick<SiteDocument, 'cameras' | 'groups'>,
  after: Pick<SiteDocument, 'cameras' | 'groups'>,
): WatchingChange[] {
  const nameOf = ({ name, dark }: WatchingInForce) => `${name} ${dark ?? ''}`;
  const groupSays = ({ cameras, groups }: typeof before, key: string, { name, dark }: WatchingInForce) => {
    const watching = groups[cameras[key].group ?? '']?.watching;
    return String((dark ? watching?.dark : watching)?.[name as WatchingValue] ?? '');
  };
  return Object.keys(after.cameras).flatMap((camera): WatchingChange[] => {
    if (!before.cameras[camera]) return [];
    const [was, is] = [before, after].map((document) => watchingInForce(document, camera));
    const values = new Map([...was, ...is].map((one) => [nameOf(one), one]));
    return [...values].flatMap(([id, one]): WatchingChange[] => {
      const [old, now] = [was, is].map((all) => all.find((other) => nameOf(other) === id));
      const what = { camera, name: one.name, ...(one.dark ? { dark: one.dark } : {}) };
      if (old?.value !== now?.value) return [{ ...what, ...(old ? { before: old.value } : {}), ...(now ? { after: now.value } : {}) }];
      if (now?.from !== 'camera' || groupSays(before, camera, one) === groupSays(after, camera, one)) return [];
      return [{ ...what, after: now.value, own: true }];
    });
  });
}

const numbers: { readonly [K in WatchingValue]: (value: never) => Partial<MotionValues> } = {
  difference: (difference: number) => ({ difference }),
  threshold: (share: string) => ({ threshold: shareFraction(share) }),
  smallest: (share: string) => ({ smallest: shareFraction(share) }),
  largest: (share: string) => ({ largest: shareFraction(share) }),
  'at-least': (duration: string) => ({ atLeastMs: durationMs(duration) }),
  quiet: (duration: string) => ({ quietMs: durationMs(duration) }),
  pause: (duration: string) => ({ pauseMs: durationMs(duration) }),
};

/** Values of a document as plain numbers: those that are said. */
const plain = (watching: Watching): Partial<MotionValues> =>
  Object.assign({}, ...watchingValues.map((name) => (watching[name] === undefined ? {} : numbers[name](watching[name] as never))));

/** A camera's watching and marks as plain numbers for the detector; what its group says holds where it says nothing itself. */
export function motionSettings(camera: Pick<Camera, 'marks' | 'watching'>, group?: Pick<Group, 'watching'>): MotionSettings {
  const marks = Object.entries(camera.marks);
  const dark = { ...plain(group?.watching.dark ?? {}), ...plain(camera.watching.dark ?? {}) };
  return {
    ...(plain(watchingDefaults) as MotionValues),
    ...plain(group?.watching ?? {}),
    ...plain(camera.watching),
    ...(Object.keys(dark).length > 0 ? { dark } : {}),
    zones: marks.flatMap(([name, mark]) => (mark.zone ? [{ name, area: mark.zone, everyChange: mark['every-change'] ?? false }] : [])),
    ignored: marks.flatMap(([, mark]) => (mark.ignored ? [mark.ignored] : mark.private ? [mark.private] : [])),
  };
}

/** A camera's zones and lines as what objects are held against. */
export function objectSettings(camera: Pick<Camera, 'marks' | 'watching'>, group?: Pick<Group, 'watching'>): ObjectSettings {
  const marks = Object.entries(camera.marks);
  return {
    atLeastMs: motionSettings(camera, group).atLeastMs,
    zones: marks.flatMap(([name, { zone, lingers }]) =>
      zone ? [{ name, area: zone, ...(lingers ? { lingersMs: durationMs(lingers) } : {}) }] : [],
    ),
    lines: marks.flatMap(([name, mark]) => (mark.line ? [{ name, corners: mark.line, in: mark.in ?? 'left' }] : [])),
  };
}

/** A counter of a mark, in plain numbers. */
export interface CounterPlan {
  readonly of: 'zone' | 'line';
  readonly labels?: ReadonlySet<string>;
  /** Minutes after midnight at which it begins anew. */
  readonly resetMinute?: number;
  readonly thresholds: Readonly<Partial<Record<'in' | 'out' | 'inside', number>>>;
}

/** Every counter of a document, by camera/mark. */
export function countersOf({ cameras }: Pick<SiteDocument, 'cameras'>): Map<string, CounterPlan> {
  const plans = new Map<string, CounterPlan>();
  for (const [key, { marks }] of Object.entries(cameras)) {
    for (const [name, mark] of Object.entries(marks)) {
      const kind = kindOfMark(mark);
      if (!mark.counter || (kind !== 'zone' && kind !== 'line')) continue;
      const { label, reset, thresholds } = mark.counter;
      plans.set(`${key}/${name}`, {
        of: kind,
        ...(label ? { labels: new Set(label) } : {}),
        ...(reset ? { resetMinute: parseTimeOfDay(reset) } : {}),
        thresholds,
      });
    }
  }
  return plans;
}
