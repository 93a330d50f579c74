import { declarationOf, type Verdict } from '@causalis/contract';
import type { EventIn, HandEntry, OpenDelivery, RetryEntry, TryEntry } from '../entry.js';
import { fire, goOn } from '../firing/fire.js';
import { reopened } from '../firing/firing.js';
import type { ActionPlan } from '../firing/plan.js';
import { stateKeys } from '../state.js';
import type { Work } from '../work.js';
import { judge } from './judge.js';

/** The key that stands in a rule's place where a hand had something done; no rule can have it. */
export const byHand = 'by-hand';

/**
 * Tries a rule: its guards judge as ever and hold it back unless they are to be disregarded; being off, being late and
 * cooling down do not matter to a trial, and it starts no cooldown.
 */
export function tryRule(work: Work, { rule: key, event, regardless }: TryEntry): void {
  const rule = work.site.rule(key);
  if (!rule) throw new RangeError(`there is no rule ${key}`);
  const { guards } = judge(work.site, rule, event, work.state, work.now);
  const index = guards.findIndex(({ holds }) => !holds);
  const held = index >= 0 && !regardless ? ({ kind: 'guard', index } as const) : undefined;
  const verdict: Verdict = held
    ? { rule: key, title: rule.title, verdict: 'held', by: held, guards }
    : { rule: key, title: rule.title, verdict: 'fired', guards, firing: fire(work, rule, event) };
  work.events.push({ event, verdicts: [verdict] });
}

/** Has one output do one thing, as a firing of its own without a rule. */
export function operate(work: Work, entry: HandEntry): void {
  const output = work.site.outputs[entry.output];
  if (!output) throw new RangeError(`there is no output ${entry.output}`);
  const plan: ActionPlan = {
    name: entry.event.test ? 'test' : 'set',
    verb: declarationOf(output).carries,
    output: entry.output,
    members: [],
    needs: [],
    ...(entry.recipient === undefined ? {} : { recipient: entry.recipient }),
    ...(entry.words === undefined ? {} : { words: entry.words }),
    ...(entry.value === undefined ? {} : { to: entry.value }),
    ...(entry.forMs === undefined ? {} : { forMs: entry.forMs }),
    once: entry.event.test,
  };
  const firing = fire(work, { key: byHand, title: entry.title, priority: entry.priority, actions: [plan] }, entry.event);
  work.events.push({ event: entry.event, verdicts: [{ rule: byHand, title: entry.title, verdict: 'fired', guards: [], firing }] });
}

/** A delivery is tried again: its action is open once more, so that its arrival counts. */
export function retryDelivery(work: Work, { delivery, firing }: RetryEntry): void {
  const open = delivery.aside ? undefined : (work.state.get(stateKeys.firing(firing.id)) ?? firing);
  if (open) goOn(work, reopened(open, delivery.action));
}

/** Sends what was sent before once more: a new delivery with its own key, linked to the old; its firing is not touched. */
export function sendAgain(work: Work, old: OpenDelivery): void {
  work.deliveries.push({ ...old, id: work.newId(), again: old.id });
}

/** The event that a trial of a rule hangs on: as its cause would bring it, as far as that is known. */
export function trialEvent(work: Pick<Work, 'site' | 'now'>, key: string, id: string, by: string): EventIn | undefined {
  const rule = work.site.rule(key);
  if (!rule) return undefined;
  const { wall } = work.now;
  const { section, source } = work.site.exampleSource(rule);
  const mark = rule.marks?.values().next().value;
  const label = rule.labels?.values().next().value;
  const who = rule.who?.values().next().value;
  return {
    id,
    kind: 'rule.tried',
    section,
    source,
    ...(mark === undefined ? {} : { mark }),
    data: { rule: rule.title, by, ...(label === undefined ? {} : { label }), ...(who === undefined ? {} : { who }) },
    time: wall,
    seen: wall,
    depth: 0,
    test: true,
  };
}
