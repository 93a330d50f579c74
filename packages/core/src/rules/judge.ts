import type { CooldownPart, GuardResult, HeldBy } from '@causalis/contract';
import type { EventIn } from '../entry.js';
import { type Now, type StateView, stateKeys } from '../state.js';
import type { CompiledRule, CompiledSite } from './compile.js';
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
    (rule.sure === undefined || (event.data.sure ?? 0) >= rule.sure)
  );
}

/** The key that a cooldown counts apart; an absent part is a value too. */
export function cooldownKey(per: readonly CooldownPart[], event: EventIn): string {
  const part: Record<CooldownPart, string | undefined> = {
    camera: event.section === 'cameras' ? event.source : undefined,
    mark: event.mark,
    track: event.span,
    label: event.data.label,
    who: event.data.who,
  };
  return per.map((name) => part[name] ?? '-').join(' ');
}

export interface Judgement {
  readonly by?: HeldBy;
  readonly guards: readonly GuardResult[];
  /** The cooldown's key, for the firing that starts it. */
  readonly key: string;
}

/**
 * Judges one matching rule: active → fresh → circle → guards → cooldown. All guards are recorded; the first that
 * fails names the verdict. No `by` means that it fires.
 */
export function judge(site: CompiledSite, rule: CompiledRule, event: EventIn, view: StateView, now: Now): Judgement {
  const mode = view.get(stateKeys.mode) ?? site.firstMode;
  const guards = rule.guards.map((guard) => judgeGuard(guard, { mode, now, zone: site.zone }));
  const key = rule.cooldown ? cooldownKey(rule.cooldown.per, event) : '';
  return { ...heldBy(), guards, key };

  function heldBy(): { by?: HeldBy } {
    if (!rule.active) return { by: { kind: 'inactive' } };
    const late = now.wall - event.seen;
    if (late > freshMs) return { by: { kind: 'late', byMs: late, mostMs: freshMs } };
    if (event.depth >= mostDepth) return { by: { kind: 'circle', depth: event.depth, most: mostDepth } };
    const failing = guards.findIndex(({ holds }) => !holds);
    if (failing >= 0) return { by: { kind: 'guard', index: failing } };
    if (!rule.cooldown || event.test) return {};
    const running = view.get(stateKeys.cooldown(rule.id, key));
    if (!running || running.until <= now.steady) return {};
    return { by: { kind: 'cooldown', key, leftMs: running.until - now.steady, since: new Date(running.since).toISOString() } };
  }
}
