import type { Verdict } from '@causalis/contract';
import type { EventIn } from '../entry.js';
import { fire } from '../firing/fire.js';
import { handSteered, untouchedHead } from '../firing/head.js';
import { stateKeys } from '../state.js';
import type { Work } from '../work.js';
import { coolDown } from './cooling.js';
import { count } from './counting.js';
import { judge, matches } from './judge.js';
import { seeMembers } from './presence.js';

/** Takes an event: each rule that is about it judges, and those that nothing holds fire. */
export function takeEvent(work: Work, event: EventIn): void {
  const { site, state, now } = work;
  const verdicts: Verdict[] = [];
  if (event.kind === 'input.changed' && !event.test) {
    const { reading, number } = event.data;
    state.set(stateKeys.input(event.source), {
      ...(reading === undefined ? {} : { reading }),
      ...(number === undefined ? {} : { number }),
    });
  }
  // A rule's own look says its rule; without one it was a hand.
  if (event.kind === 'head.moved' && event.data.rule === undefined && !event.test) {
    const { to } = event.data;
    const head = stateKeys.head(event.source);
    const place = to === 'move' || to === 'stop' ? undefined : to;
    state.set(head, handSteered(state.get(head) ?? untouchedHead, place, now.steady));
  }
  // What an event counts is counted before the rules are asked, so that a guard sees the count with it.
  const following: EventIn[] = [...count(work, event), ...seeMembers(work, event)];
  work.events.push({ event, verdicts });
  for (const rule of site.rulesFor(event.kind, event.source)) {
    if (!matches(rule, event)) continue;
    const { by, guards, key } = judge(site, rule, event, state, now);
    if (by) {
      verdicts.push({ rule: rule.key, title: rule.title, verdict: 'held', by, guards });
      continue;
    }
    const crowded = rule.cooldown && !event.test ? coolDown(work, rule, key, rule.cooldown.forMs) : undefined;
    if (crowded) following.push(crowded);
    verdicts.push({ rule: rule.key, title: rule.title, verdict: 'fired', guards, firing: fire(work, rule, event) });
  }
  for (const next of following) takeEvent(work, next);
}
