import { type Moment, moments } from '@causalis/service';
import { chance } from '@causalis/standins';

/** Something that goes wrong when so many firings have been asked for. */
export type Fault =
  | { readonly kind: 'service'; readonly at: number }
  | { readonly kind: 'service-at'; readonly at: number; readonly moment: Moment }
  | { readonly kind: 'watcher'; readonly at: number }
  | { readonly kind: 'database'; readonly at: number; readonly awayMs: number }
  | { readonly kind: 'desk-refuses'; readonly at: number; readonly times: number }
  | { readonly kind: 'desk-cuts'; readonly at: number; readonly times: number }
  | { readonly kind: 'mailbox-away' | 'lamp-away'; readonly at: number; readonly until: number };

/** One thing goes wrong for about so many firings. */
const firingsAFault = 80;
/** Moments that pass with every entry; the others come of themselves. */
const reached = (Object.keys(moments) as Moment[]).filter((moment) => !['evidence-written', 'recovered'].includes(moment));

/** What goes wrong in a run, and when: the same for the same seed and number of firings. */
export function planOf(seed: number, firings: number): Fault[] {
  const next = chance(seed);
  const upTo = (n: number) => Math.floor(next() * n);
  const count = Math.max(6, Math.round(firings / firingsAFault));
  const make: ((at: number) => Fault)[] = [
    (at) => ({ kind: 'service', at }),
    (at) => ({ kind: 'service', at }),
    (at) => ({ kind: 'service-at', at, moment: reached[upTo(reached.length)] }),
    (at) => ({ kind: 'service-at', at, moment: reached[upTo(reached.length)] }),
    (at) => ({ kind: 'watcher', at }),
    (at) => ({ kind: 'database', at, awayMs: 100 + upTo(900) }),
    (at) => ({ kind: 'desk-refuses', at, times: 1 + upTo(20) }),
    (at) => ({ kind: 'desk-cuts', at, times: 1 + upTo(20) }),
    (at) => ({ kind: 'mailbox-away', at, until: at + 20 + upTo(100) }),
    (at) => ({ kind: 'lamp-away', at, until: at + 20 + upTo(100) }),
  ];
  // Each kind comes at least once where there is room for all.
  const faults = Array.from({ length: count }, (_, i) => {
    const kind = i < make.length ? i : upTo(make.length);
    return make[kind](1 + upTo(Math.max(1, firings - 2)));
  });
  return faults.sort((a, b) => a.at - b.at);
}
