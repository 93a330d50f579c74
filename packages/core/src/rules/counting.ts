import type { EventIn } from '../entry.js';
import { type StateKey, type StateView, stateKeys } from '../state.js';
import type { Zone } from '../time/zone.js';
import type { CounterPlan } from '../vision/settings.js';
import type { Work } from '../work.js';

/** What a counter says. */
export interface Counts {
  readonly in: number;
  readonly out: number;
  readonly inside: number;
  /** Wall ms of the last change: a reset that came due since then empties it. */
  readonly at: number;
  /** Thresholds that have been reached and not been fallen below since. */
  readonly reached: readonly CountName[];
}
export const countNames = ['in', 'out', 'inside'] as const;
export type CountName = (typeof countNames)[number];

const empty = (at: number): Counts => ({ in: 0, out: 0, inside: 0, at, reached: [] });
const dayMs = 86_400_000;

/** Whether a reset at a minute of the day lies between two instants. */
function resetBetween(zone: Zone, minute: number, from: number, to: number): boolean {
  if (to - from >= dayMs) return true;
  const local = (at: number) => at + zone.offsetAt(at);
  const days = (at: number) => Math.floor((local(at) - minute * 60_000) / dayMs);
  return days(from) < days(to);
}

/** What a counter says now: a reset that came due empties it, whether or not anybody looked. */
export function countsNow(plan: CounterPlan, kept: Counts | undefined, zone: Zone, wall: number): Counts {
  if (!kept) return empty(wall);
  return plan.resetMinute !== undefined && resetBetween(zone, plan.resetMinute, kept.at, wall) ? empty(wall) : kept;
}

export const counterKey = (source: string, mark: string): StateKey<Counts> => stateKeys.counter(`${source}/${mark}`);

/** Reads a counter of a site. */
export function readCounter(
  view: StateView,
  plans: ReadonlyMap<string, CounterPlan>,
  zone: Zone,
  name: string,
  wall: number,
): Counts | undefined {
  const plan = plans.get(name);
  return plan && countsNow(plan, view.get(stateKeys.counter(name)), zone, wall);
}

/** Counts an event at its mark, and returns what follows: a threshold that was reached, each once until it was fallen below. */
export function count(work: Work, event: EventIn): EventIn[] {
  const { site, state, now } = work;
  const plan = event.mark === undefined ? undefined : site.counters.get(`${event.source}/${event.mark}`);
  if (!plan || event.test || event.mark === undefined) return [];
  const way = directionOf(plan, event);
  if (!way || (plan.labels && (event.data.label === undefined || !plan.labels.has(event.data.label)))) return [];
  const key = counterKey(event.source, event.mark);
  const before = countsNow(plan, state.get(key), site.zone, now.wall);
  const counts = {
    in: before.in + (way === 'in' ? 1 : 0),
    out: before.out + (way === 'out' ? 1 : 0),
    // Who was inside before the counting began may come out; nobody is inside less than nobody.
    inside: Math.max(0, before.inside + (way === 'in' ? 1 : -1)),
  };
  const passed = countNames.filter((name) => counts[name] >= (plan.thresholds[name] ?? Number.POSITIVE_INFINITY));
  state.set(key, { ...counts, at: now.wall, reached: passed });
  return passed
    .filter((name) => !before.reached.includes(name))
    .map(
      (name): EventIn => ({
        id: work.newId(),
        kind: 'count.reached',
        section: 'cameras',
        source: event.source,
        mark: event.mark,
        ...(event.span ? { span: event.span } : {}),
        ...(event.still ? { still: event.still } : {}),
        data: { counts, reached: name, count: counts[name] },
        time: event.time,
        seen: event.seen,
        depth: event.depth,
        test: event.test,
      }),
    );
}

function directionOf({ of }: CounterPlan, { kind, data }: EventIn): 'in' | 'out' | undefined {
  if (of === 'line') return kind === 'line.crossed' ? data.direction : undefined;
  return kind === 'object.entered' ? 'in' : kind === 'object.left' ? 'out' : undefined;
}
