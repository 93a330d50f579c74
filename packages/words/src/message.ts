import type { EventKind, Priority, SiteEvent } from '@causalis/contract';
import type { Language } from './catalogue.js';
import { eventText } from './events.js';
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
  const said = facts.words ?? eventText(facts, facts.title, facts.language);
  const mark = `${facts.test ? 'Test: ' : ''}${facts.priority === 'urgent' ? 'Urgent: ' : ''}`;
  const lines = [
    said,
    '',
    `${eventText(facts, facts.title, facts.language)}`,
    `${dateText(facts.time, facts.timezone)} (${facts.timezone})`,
    `Rule: ${facts.rule}`,
    ...(facts.link ? ['', `What happened and why: ${facts.link}`] : []),
    ...(facts.test ? ['', 'This is a test. Nothing happened at the site.'] : []),
    '',
    `${facts.site}, by Causalis`,
  ];
  return { subject: `${mark}${said} · ${facts.site}`.replace(/\s+/g, ' ').slice(0, 180), text: `${lines.join('\n')}\n` };
}
