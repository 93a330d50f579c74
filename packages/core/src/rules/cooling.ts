import type { EventIn } from '../entry.js';
import { type Cooldown, stateKeys } from '../state.js';
import type { Work } from '../work.js';
import type { CompiledRule } from './compile.js';

/** A rule keeps no more cooldowns apart than this: whoever invents names may not fill the memory. */
export const mostCooling = 10_000;
/** When they are too many, so many of them stay. */
const stay = 9_000;

/**
 * Starts a rule's cooldown under a key. When there are too many, those that are over go, then the oldest, and an event
 * says so where they still ran: their keys may fire again too soon.
 */
export function coolDown(work: Work, rule: CompiledRule, key: string, forMs: number): EventIn | undefined {
  const { state, now } = work;
  const name = stateKeys.cooldown(rule.stateId, key);
  const isNew = state.get(name) === undefined;
  state.set(name, { until: now.steady + forMs, since: new Date(now.wall).toISOString() });
  if (!isNew) return undefined;
  const count = (state.get(stateKeys.cooling(rule.stateId)) ?? 0) + 1;
  if (count <= mostCooling) {
    state.set(stateKeys.cooling(rule.stateId), count);
    return undefined;
  }
  const all = [...state.entries(stateKeys.cooldown(rule.stateId, ''))] as [string, Cooldown][];
  const oldest = all.sort((a, b) => a[1].until - b[1].until);
  const over = oldest.filter(([, { until }]) => until <= now.steady).length;
  const gone = Math.max(over, oldest.length - stay);
  for (const [old] of oldest.slice(0, gone)) state.set(old, null);
  state.set(stateKeys.cooling(rule.stateId), oldest.length - gone);
  return gone > over ? crowded(work, rule, gone - over) : undefined;
}

const crowded = ({ newId, site, now }: Work, rule: CompiledRule, count: number): EventIn => ({
  id: newId(),
  kind: 'rule.crowded',
  section: 'site',
  source: site.key,
  data: { rule: rule.title, count },
  time: now.wall,
  seen: now.wall,
  depth: 0,
  test: false,
});
