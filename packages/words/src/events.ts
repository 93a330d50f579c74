import type { EventKind, SiteEvent } from '@causalis/contract';
import { fill } from './fill.js';
import { durationText } from './quantity.js';

const kinds: Record<EventKind, string> = {
  'motion.began': 'Motion on {where}',
  'motion.ended': 'Motion on {where} ended after {lasted}',
  'hook.called': '{title} called{who}',
  'camera.lost': '{title} is lost',
  'camera.restored': '{title} is back',
  'mode.changed': 'Mode changed from {from} to {to}',
};

/** Plain name of an event kind. */
export const kindText: Record<EventKind, string> = {
  'motion.began': 'motion begins',
  'motion.ended': 'motion ends',
  'hook.called': 'is called',
  'camera.lost': 'is lost',
  'camera.restored': 'is back',
  'mode.changed': 'the mode changes',
};

/** An event in one line, without its time. */
export function eventText(event: Pick<SiteEvent, 'kind' | 'mark' | 'data'>, title: string): string {
  const { data } = event;
  return fill(kinds[event.kind], {
    title,
    where: event.mark ? `the ${event.mark} of ${title}` : title,
    who: data.who ? ` about ${data.who}` : data.label ? ` about ${data.label}` : '',
    from: data.from ?? '?',
    to: data.to ?? '?',
    lasted: durationText(data.lastedMs ?? 0),
  });
}
