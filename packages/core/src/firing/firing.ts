import type { EventData, EventKind, EventSection, Priority, SkipReason } from '@causalis/contract';
import type { ActionPlan } from './plan.js';

/** What a firing keeps of its event: enough for every action, whenever it starts. Times are wall ms. */
export interface EventFacts {
  readonly id: string;
  readonly kind: EventKind;
  readonly section: EventSection;
  readonly source: string;
  readonly mark?: string;
  readonly time: number;
  readonly data: EventData;
  readonly still?: string;
  readonly depth: number;
  readonly test: boolean;
}

/** Where a claim came from: what its going back needs when the firing itself is long over. */
export interface ClaimOrigin {
  readonly rule: string;
  readonly title: string;
  readonly event: EventFacts;
}

/** One action of an open firing. */
export interface ActionState {
  readonly plan: ActionPlan;
  readonly state: 'waiting' | 'started' | 'skipped' | 'ended';
  readonly started?: number;
  readonly ended?: number;
  readonly succeeded?: boolean;
  readonly reason?: SkipReason;
  /** Recipients that have not been served yet. */
  readonly open: number;
  readonly failed: number;
  readonly stills: readonly string[];
}

/** A firing whose actions have not all ended. */
export interface OpenFiring {
  readonly id: string;
  readonly rule: string;
  readonly title: string;
  readonly priority: Priority;
  readonly event: EventFacts;
  /** When it fired: wall for people, steady for waiting. */
  readonly at: number;
  readonly steady: number;
  readonly mode: string;
  readonly actions: readonly ActionState[];
}

/** What starting an action came to: so many deliveries, or a reason why there is none. */
export type Started = { readonly deliveries: number } | { readonly skipped: SkipReason };

/** Starts an action for real; the firing hands over what the actions before it brought. */
export type Starter = (firing: OpenFiring, plan: ActionPlan, stills: readonly string[]) => Started;

const over = (action: ActionState): boolean => action.state === 'ended' || action.state === 'skipped';

type Readiness = { readonly is: 'ready' } | { readonly is: 'wait' } | { readonly is: 'skip'; readonly reason: SkipReason };

/** Whether a waiting action may start: each of its needs has its result, or its time is up. */
function readiness(firing: OpenFiring, action: ActionState, now: number): Readiness {
  for (const need of action.plan.needs) {
    const other = firing.actions.find(({ plan }) => plan.name === need.action);
    const done = !other || over(other);
    if (!done && now < firing.steady + need.forMs) return { is: 'wait' };
    if (other?.succeeded !== true && need.orElse === 'skip') return { is: 'skip', reason: done ? 'needed-failed' : 'needed-late' };
  }
  return { is: 'ready' };
}

/** Starts whatever can start now, until nothing changes. `wall` and `steady` in ms. */
export function advance(firing: OpenFiring, now: { wall: number; steady: number }, start: Starter): OpenFiring {
  let next = firing;
  for (let moved = true; moved; ) {
    moved = false;
    for (const action of next.actions) {
      if (action.state !== 'waiting') continue;
      const ready = readiness(next, action, now.steady);
      if (ready.is === 'wait') continue;
      moved = true;
      const stills = action.plan.with === undefined ? [] : (next.actions.find(({ plan }) => plan.name === action.plan.with)?.stills ?? []);
      const started: Started = ready.is === 'skip' ? { skipped: ready.reason } : start(next, action.plan, stills);
      next = replace(next, action.plan.name, (one) => {
        if ('skipped' in started) return { ...one, state: 'skipped', succeeded: false, reason: started.skipped, ended: now.wall };
        if (started.deliveries === 0) return { ...one, state: 'ended', succeeded: true, started: now.wall, ended: now.wall };
        return { ...one, state: 'started', started: now.wall, open: started.deliveries };
      });
    }
  }
  return next;
}

/** One delivery of an action has ended; the action ends with its last, and has succeeded when none failed. */
export function deliveryEnded(firing: OpenFiring, name: string, delivered: boolean, stills: readonly string[], wall: number): OpenFiring {
  return replace(firing, name, (action) => {
    if (action.state !== 'started') return action;
    const open = action.open - 1;
    const failed = action.failed + (delivered ? 0 : 1);
    const next = { ...action, open, failed, stills: [...action.stills, ...stills] };
    return open > 0 ? next : { ...next, state: 'ended', succeeded: failed === 0, ended: wall };
  });
}

/** An action of which a failed delivery is tried again: open once more, and without the failure that it counted. */
export function reopened(firing: OpenFiring, name: string): OpenFiring {
  return replace(firing, name, (action) => {
    if ((action.state !== 'ended' && action.state !== 'started') || action.failed === 0) return action;
    const { ended: _, succeeded: __, ...rest } = action;
    return { ...rest, state: 'started', open: action.open + 1, failed: action.failed - 1 };
  });
}

/** Steady times at which something that is still waited for is given up. */
export function deadlines(firing: OpenFiring): number[] {
  const times = firing.actions
    .filter(({ state }) => state === 'waiting')
    .flatMap(({ plan }) => plan.needs.map(({ forMs }) => firing.steady + forMs));
  return [...new Set(times)];
}

/** True when every action has ended. */
export const isOver = (firing: OpenFiring): boolean => firing.actions.every(over);

const replace = (firing: OpenFiring, name: string, change: (action: ActionState) => ActionState): OpenFiring => ({
  ...firing,
  actions: firing.actions.map((action) => (action.plan.name === name ? change(action) : action)),
});
