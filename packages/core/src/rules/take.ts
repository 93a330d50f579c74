import type { Verdict } from '@causalis/contract';
import type { EventIn } from '../entry.js';
import { fire } from '../firing/fire.js';
import { stateKeys } from '../state.js';
import type { Work } from '../work.js';
import { judge, matches } from './judge.js';

/** Takes an event: each rule that is about it judges, and those that nothing holds fire. */
export function takeEvent(work: Work, event: EventIn): void {
  const { site, state, now } = work;
  const verdicts: Verdict[] = [];
  work.events.push({ event, verdicts });
  for (const rule of site.rulesFor(event.kind, event.source)) {
    if (!matches(rule, event)) continue;
    const { by, guards, key } = judge(site, rule, event, state, now);
    if (by) {
      verdicts.push({ rule: rule.key, title: rule.title, verdict: 'held', by, guards });
      continue;
    }
    if (rule.cooldown && !event.test)
      state.set(stateKeys.cooldown(rule.stateId, key), {
        until: now.steady + rule.cooldown.forMs,
        since: new Date(now.wall).toISOString(),
      });
    verdicts.push({ rule: rule.key, title: rule.title, verdict: 'fired', guards, firing: fire(work, rule, event) });
  }
}
