import type { Priority } from '@causalis/contract';
import type { EventIn } from '../entry.js';
import { stateKeys } from '../state.js';
import { setTimer, type Work } from '../work.js';
import { advance, deadlines, type EventFacts, isOver, type OpenFiring } from './firing.js';
import type { ActionPlan } from './plan.js';
import { startAction } from './start.js';

/** What fires: a rule, or a hand that wants one thing done. */
export interface Firer {
  readonly key: string;
  readonly title: string;
  readonly priority: Priority;
  readonly actions: readonly ActionPlan[];
}

/** What a firing keeps of its event. */
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

/** Starts whatever of a firing can start now, and keeps it as it is then: until it is over. */
export function goOn(work: Work, firing: OpenFiring): OpenFiring {
  const moved = advance(firing, work.now, (from, plan, stills) => startAction(work, from, plan, stills));
  work.firings.set(moved.id, moved);
  work.state.set(stateKeys.firing(moved.id), isOver(moved) ? null : moved);
  return moved;
}

/** A new firing; returns its id. */
export function fire(work: Work, firer: Firer, event: EventIn): string {
  const firing = goOn(work, {
    id: work.newId(),
    rule: firer.key,
    title: firer.title,
    priority: firer.priority,
    event: factsOf(event),
    at: work.now.wall,
    steady: work.now.steady,
    mode: work.state.get(stateKeys.mode) ?? work.site.firstMode,
    actions: firer.actions.map((plan) => ({ plan, state: 'waiting', open: 0, failed: 0, stills: [] })),
  });
  if (!isOver(firing)) for (const due of deadlines(firing)) setTimer(work, { due, for: { kind: 'need', firing: firing.id } });
  return firing.id;
}
