import type { EventKind, SiteEvent } from '@causalis/contract';
import { type Language, textsIn } from './catalogue.js';
import { fill } from './fill.js';
import { durationText } from './quantity.js';

/** Plain name of an event kind. */
export const kindText = (kind: EventKind, language?: Language): string => textsIn(language).events[kind][0];

/** How far a clock jumped, and in which direction. */
const jumpText = (byMs: number): string => `${durationText(Math.abs(byMs))} ${byMs < 0 ? 'back' : 'forward'}`;

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);

/** An event in one line, without its time. */
export function eventText(event: Pick<SiteEvent, 'kind' | 'mark' | 'data'>, title: string, language?: Language): string {
  const { data } = event;
  return fill(textsIn(language).events[event.kind][1], {
    title,
    where: event.mark ? `the ${event.mark} of ${title}` : title,
    who: data.who ? ` about ${data.who}` : data.label ? ` about ${data.label}` : '',
    whom: data.who ?? '?',
    what: data.label ? capital(data.label) : 'Something',
    direction: data.direction ? `, ${data.direction}` : '',
    reached: data.reached ?? '',
    own: data.own ? fill(textsIn(language).eventParts.own, { rule: data.own }) : '',
    words: data.words ? `: “${data.words}”` : data.file ? `: ${data.file}` : '',
    rule: data.rule ?? '?',
    by: data.byMs === undefined ? (data.by ?? '?') : jumpText(data.byMs),
    count: data.count ?? '?',
    free: `${Math.floor((data.free ?? 0) / 1024 / 1024)} MB`,
    reason: textsIn(language).attempts[data.reason ?? '']?.[0] ?? data.reason ?? '?',
    before: data.from ? ` from ${data.from}` : '',
    from: data.from ?? '?',
    to: data.to ?? '?',
    lasted: durationText(data.lastedMs ?? 0),
  });
}
