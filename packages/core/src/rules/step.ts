import type { Verdict } from '@causalis/contract';
import { endClaims, readBackOutput, untouched } from '../delivery/claims.js';
import type { Entry, EventIn, NewReceipt, StepResult } from '../entry.js';
import { advance, deadlines, deliveryEnded, type EventFacts, isOver, type OpenFiring } from '../firing/firing.js';
import { sendBack, startAction } from '../firing/start.js';
import { type Now, Overlay, type StateView, stateKeys } from '../state.js';
import { setTimer, type Work } from '../work.js';
import type { CompiledRule, CompiledSite } from './compile.js';
import { judge, matches } from './judge.js';

/**
 * The way of an entry through the core. A function of its arguments alone: live running, rehearsal and tests call it
 * with the same entries and get the same results. Ids and both clocks are handed in.
 */
export function step(site: CompiledSite, view: StateView, entry: Entry, now: Now, newId: () => string): StepResult {
  const state = new Overlay(view);
  const events: { event: EventIn; verdicts: Verdict[] }[] = [];
  const firings = new Map<string, OpenFiring>();
  const receipts: NewReceipt[] = [];
  const work: Work = { site, state, now, newId, deliveries: [] };

  const keep = (firing: OpenFiring): void => {
    firings.set(firing.id, firing);
    state.set(stateKeys.firing(firing.id), isOver(firing) ? null : firing);
  };
  const goOn = (firing: OpenFiring): void => {
    const moved = advance(firing, now, (from, plan, stills) => startAction(work, from, plan, stills));
    keep(moved);
  };

  const fire = (rule: CompiledRule, event: EventIn, key: string): string => {
    const firing: OpenFiring = {
      id: newId(),
      rule: rule.key,
      title: rule.title,
      priority: rule.priority,
      event: factsOf(event),
      at: now.wall,
      steady: now.steady,
      mode: state.get(stateKeys.mode) ?? site.firstMode,
      actions: rule.actions.map((plan) => ({ plan, state: 'waiting', open: 0, failed: 0, stills: [] })),
    };
    if (rule.cooldown && !event.test)
      state.set(stateKeys.cooldown(rule.stateId, key), {
        until: now.steady + rule.cooldown.forMs,
        since: new Date(now.wall).toISOString(),
      });
    goOn(firing);
    const open = firings.get(firing.id);
    if (open && !isOver(open)) for (const due of deadlines(open)) setTimer(work, { due, for: { kind: 'need', firing: firing.id } });
    return firing.id;
  };

  const take = (event: EventIn): void => {
    const verdicts: Verdict[] = [];
    events.push({ event, verdicts });
    for (const rule of site.rulesFor(event.kind, event.source)) {
      if (!matches(rule, event)) continue;
      const { by, guards, key } = judge(site, rule, event, state, now);
      if (by) verdicts.push({ rule: rule.key, title: rule.title, verdict: 'held', by, guards });
      else verdicts.push({ rule: rule.key, title: rule.title, verdict: 'fired', guards, firing: fire(rule, event, key) });
    }
  };

  const endClaimsOf = (key: string): void => {
    const { state: next, send, ended } = endClaims(state.get(stateKeys.output(key)) ?? untouched, now.steady);
    state.set(stateKeys.output(key), next);
    const last = ended.at(-1);
    if (send && last) sendBack(work, key, last, send);
  };

  switch (entry.kind) {
    case 'event':
      take(entry.event);
      break;
    case 'mode': {
      const from = state.get(stateKeys.mode) ?? site.firstMode;
      state.set(stateKeys.mode, entry.mode);
      const data = { from, to: entry.mode, by: entry.by };
      take({
        id: newId(),
        kind: 'mode.changed',
        section: 'site',
        source: site.key,
        data,
        time: now.wall,
        seen: now.wall,
        depth: 0,
        test: false,
      });
      break;
    }
    case 'timer': {
      const timer = state.get(stateKeys.timer(entry.id));
      state.set(stateKeys.timer(entry.id), null);
      if (timer?.for.kind === 'claim') endClaimsOf(timer.for.output);
      const firing = timer?.for.kind === 'need' ? state.get(stateKeys.firing(timer.for.firing)) : undefined;
      if (firing) goOn(firing);
      break;
    }
    case 'ended': {
      const firing = entry.delivery.back ? undefined : state.get(stateKeys.firing(entry.delivery.firing));
      if (firing) goOn(deliveryEnded(firing, entry.delivery.action, entry.delivery.state === 'delivered', entry.delivery.stills, now.wall));
      break;
    }
    case 'read-back': {
      const before = state.get(stateKeys.output(entry.output)) ?? untouched;
      const { state: next, meaning } = readBackOutput(before, entry.value, now.steady);
      state.set(stateKeys.output(entry.output), next);
      if (meaning === 'receipt' && before.delivery) receipts.push({ delivery: before.delivery, kind: 'read-back', value: entry.value });
      break;
    }
  }
  return { events, firings: [...firings.values()], deliveries: work.deliveries, receipts, changes: state.changes };
}

const factsOf = (event: EventIn): EventFacts => ({
  id: event.id,
  kind: event.kind,
  section: event.section,
  source: event.source,
  ...(event.mark === undefined ? {} : { mark: event.mark }),
  time: event.time,
  data: event.data,
  ...(event.still === undefined ? {} : { still: event.still }),
  depth: event.depth,
  test: event.test,
});
