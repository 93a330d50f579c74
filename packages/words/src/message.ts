import type { EventKind, Priority, SiteEvent } from '@causalis/contract';
import { type Language, textsIn } from './catalogue.js';
import { eventText } from './events.js';
import { fill } from './fill.js';
import { dateText } from './quantity.js';

/** What a message tells of. */
export interface MessageFacts {
  readonly kind: EventKind;
  readonly mark?: string;
  readonly data: SiteEvent['data'];
  /** Title of the source. */
  readonly title: string;
  readonly time: string;
  readonly rule: string;
  readonly priority: Priority;
  readonly site: string;
  readonly timezone: string;
  readonly words?: string;
  readonly link?: string;
  readonly test: boolean;
  readonly language?: Language;
}

/** Subject and text of a message; every message carries camera, what, and the event's time at the site. */
export function messageText(facts: MessageFacts): { subject: string; text: string } {
  const texts = textsIn(facts.language).message;
  const what = eventText(facts, facts.title, facts.language);
  const said = facts.words ?? what;
  const mark = `${facts.test ? texts.test : ''}${facts.priority === 'urgent' ? texts.urgent : ''}`;
  const lines = [
    said,
    '',
    what,
    `${dateText(facts.time, facts.timezone)} (${facts.timezone})`,
    fill(texts.rule, { rule: facts.rule }),
    ...(facts.link ? ['', fill(texts.link, { link: facts.link })] : []),
    ...(facts.test ? ['', texts.isTest] : []),
    '',
    fill(texts.from, { site: facts.site }),
  ];
  return { subject: `${mark}${said} · ${facts.site}`.replace(/\s+/g, ' ').slice(0, 180), text: `${lines.join('\n')}\n` };
}
