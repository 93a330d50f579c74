import { durationMs, type SiteDocument } from '@causalis/contract';
import type { EventIn } from '../entry.js';
import { stateKeys } from '../state.js';
import { setTimer, type Work } from '../work.js';

/** By what it is known that a member is there. */
export interface PresencePlan {
  readonly member: string;
  readonly name: string;
  readonly is?: string;
  readonly who?: string;
  readonly graceMs: number;
}

/** That a member is present: since when, by what source, and until when they count as there unless they show again. Times: wall, steady ms. */
export interface Presence {
  readonly since: number;
  readonly by: string;
  readonly until?: number;
}

/** What tells of members, by input or hook. */
export function presencePlans({ members }: Pick<SiteDocument, 'members'>): ReadonlyMap<string, readonly PresencePlan[]> {
  const plans = new Map<string, PresencePlan[]>();
  for (const [member, { name, presence }] of Object.entries(members)) {
    const source = presence?.input ?? presence?.hook;
    if (!presence || source === undefined) continue;
    const plan = {
      member,
      name,
      graceMs: durationMs(presence.grace),
      ...(presence.is === undefined ? {} : { is: presence.is }),
      ...(presence.who === undefined ? {} : { who: presence.who }),
    };
    plans.set(source, [...(plans.get(source) ?? []), plan]);
  }
  return plans;
}

/** Members of whom it is known whether they are there. */
export const membersKnown = (plans: ReadonlyMap<string, readonly PresencePlan[]>): readonly PresencePlan[] => [...plans.values()].flat();

/** What an event of an input or a hook says of members, and what follows: somebody arrived. Who goes has their grace first. */
export function seeMembers(work: Work, event: EventIn): EventIn[] {
  if (event.test) return [];
  const follows: EventIn[] = [];
  for (const plan of work.site.presence.get(event.source) ?? []) {
    const key = stateKeys.present(plan.member);
    const now = work.state.get(key);
    const byHook = event.kind === 'hook.called';
    if (byHook && plan.who !== undefined && event.data.who !== plan.who) continue;
    if (!byHook && event.kind !== 'input.changed') continue;
    const here = byHook || event.data.reading === plan.is;
    if (!here && !now) continue;
    // A hook tells that somebody is there, and nobody tells that they went: they are until their grace is over.
    const until = here && !byHook ? undefined : work.now.steady + plan.graceMs;
    work.state.set(key, { since: now?.since ?? work.now.wall, by: event.source, ...(until === undefined ? {} : { until }) });
    // One timer is enough, however often somebody is seen: it is armed anew when it comes too early.
    if (until !== undefined && now?.until === undefined) wakeAt(work, plan.member, until);
    if (here && !now) follows.push(memberEvent(work, 'member.arrived', plan, event));
  }
  return follows;
}

/** A member's grace is over: they have left, unless they showed again. The last of all is told apart. */
export function memberGone(work: Work, member: string): EventIn | undefined {
  const key = stateKeys.present(member);
  const now = work.state.get(key);
  const plan = membersKnown(work.site.presence).find((one) => one.member === member);
  if (!now || !plan || now.until === undefined) return undefined;
  if (now.until > work.now.steady) {
    wakeAt(work, member, now.until);
    return undefined;
  }
  work.state.set(key, null);
  return memberEvent(work, 'member.left', plan);
}

const wakeAt = (work: Work, member: string, due: number) => setTimer(work, { due, for: { kind: 'presence', member } });

function memberEvent(work: Work, kind: 'member.arrived' | 'member.left', plan: PresencePlan, from?: EventIn): EventIn {
  const { site, now, state } = work;
  const count = membersKnown(site.presence).filter(({ member }) => state.get(stateKeys.present(member)) !== undefined).length;
  return {
    id: work.newId(),
    kind,
    section: 'site',
    source: site.key,
    // How many are there now: nobody is left after the last.
    data: { who: plan.name, count },
    time: from?.time ?? now.wall,
    seen: from?.seen ?? now.wall,
    depth: from?.depth ?? 0,
    test: false,
  };
}
