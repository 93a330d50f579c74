import type { CooldownPart, GuardResult, HeldBy } from '@causalis/contract';
import type { EventIn } from '../entry.js';
import { type Now, type StateView, stateKeys } from '../state.js';
import type { CompiledRule, CompiledSite } from './compile.js';
import { readCounter } from './counting.js';
import { judgeGuard } from './guards/registry.js';

/** An event that comes in later than this after it was seen is no reason to act any more. */
export const freshMs = 60_000;
/** As many firings of Causalis itself may lie behind an event; then it turns in a circle. */
export const mostDepth = 4;

/** Whether an event is one that the rule is about; everything else is not even mentioned in the chain. */
export function matches(rule: CompiledRule, event: EventIn): boolean {
  return (
    (!rule.at || rule.at.has(event.source)) &&
    (!rule.marks || (event.mark !== undefined && rule.marks.has(event.mark))) &&
    (!rule.labels || (event.data.label !== undefined && rule.labels.has(event.data.label))) &&
    (!rule.who || (event.data.who !== undefined && rule.who.has(event.data.who))) &&
    (!rule.readings || (event.data.reading !== undefined && rule.readings.has(event.data.reading))) &&
    (!rule.direction || event.data.direction === rule.direction) &&
    (rule.sure === undefined || (event.data.sure ?? 0) >= rule.sure)
  );
}

/** The key that a cooldown counts apart; an absent part is a value too. */
export function cooldownKey(per: readonly CooldownPart[], event: EventIn): string {
  let key = '';
  for (let i = 0; i < per.length; i++) key += `${i === 0 ? '' : ' '}${partOf[per[i]](event) ?? '-'}`;
  return key;
}

const partOf: Record<CooldownPart, (event: EventIn) => string | undefined> = {
  camera: ({ section, source }) => (section === 'cameras' ? source : undefined),
  mark: ({ mark }) => mark,
  track: ({ span }) => span,
  label: ({ data }) => data.label,
  who: ({ data }) => data.who,
};

export interface Judgement {
  readonly by: HeldBy | undefined;
  readonly guards: GuardResult[];
  /** The cooldown's key, for the firing that starts it. */
  readonly key: string;
}

/**
 * Judges one matching rule: active → fresh → circle → guards → cooldown. All guards are recorded; the first that
 * fails names the verdict. No `by` means that it fires.
 */
export function judge(site: CompiledSite, rule: CompiledRule, event: EventIn, view: StateView, now: Now): Judgement {
  const sight = {
    mode: view.get(stateKeys.mode) ?? site.firstMode,
    now,
    reading: (input: string) => view.get(stateKeys.input(input)),
    present: (member: string) => view.get(stateKeys.present(member)) !== undefined,
    counts: (name: string) => readCounter(view, site.counters, site.zone, name, now.wall),
  };
  const guards: GuardResult[] = [];
  let failing = -1;
  for (const guard of rule.guards) {
    const result = judgeGuard(guard, sight);
    if (!result.holds && failing < 0) failing = guards.length;
    guards.push(result);
  }
  const key = rule.cooldown ? cooldownKey(rule.cooldown.per, event) : '';
  return { by: heldBy(rule, event, key, failing, view, now), guards, key };
}

function heldBy(rule: CompiledRule, event: EventIn, key: string, failing: number, view: StateView, now: Now): HeldBy | undefined {
  if (!rule.active) return { kind: 'inactive' };
  const late = now.wall - event.seen;
  if (late > freshMs) return { kind: 'late', byMs: late, mostMs: freshMs };
  if (event.depth >= mostDepth) return { kind: 'circle', depth: event.depth, most: mostDepth };
  if (failing >= 0) return { kind: 'guard', index: failing };
  if (!rule.cooldown || event.test) return undefined;
  const running = view.get(stateKeys.cooldown(rule.stateId, key));
  if (!running || running.until <= now.steady) return undefined;
  return { kind: 'cooldown', key, leftMs: running.until - now.steady, since: running.since };
}
