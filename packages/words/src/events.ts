import type { EventKind, SiteEvent } from '@causalis/contract';
import { type Language, textsIn } from './catalogue.js';
import { fill } from './fill.js';
import { durationText } from './quantity.js';

/** Plain name of an event kind. */
export const kindText = (kind: EventKind, language?: Language): string => textsIn(language).events[kind][0];

/** An event in one line, without its time. */
export function eventText(event: Pick<SiteEvent, 'kind' | 'mark' | 'data'>, title: string, language?: Language): string {
  const { data } = event;
  return fill(textsIn(language).events[event.kind][1], {
    title,
    where: event.mark ? `the ${event.mark} of ${title}` : title,
    who: data.who ? ` about ${data.who}` : data.label ? ` about ${data.label}` : '',
    rule: data.rule ?? '?',
    by: data.by ?? '?',
    from: data.from ?? '?',
    to: data.to ?? '?',
    lasted: durationText(data.lastedMs ?? 0),
  });
}
