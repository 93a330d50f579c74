import { type Accepted, type CloudEvent, canGive, type EventSection, type Finding, plainLine } from '@causalis/contract';
import type { EventIn } from '@causalis/core';
import { newId } from '../../ids.js';
import { digestOf } from '../../ledger/commit.js';
import { atOneMoment, isKnownAlready } from '../../ledger/database.js';
import { listDeliveries } from '../../ledger/deliveries.js';
import { acceptedBefore, findEvent, listEvents, listSpan } from '../../ledger/events.js';
import { listFirings } from '../../ledger/firings.js';
import { unknownItem } from '../../problem.js';
import type { SiteRuntime } from '../../site.js';
import { refuseBody } from '../errors.js';
import type { Handlers, WebParts } from './context.js';

/** Events, chains, deliveries and pictures: what happened, and what became of it. */
export const ledgerRoutes = (parts: WebParts): Handlers => ({
  events: ({ site, query }) => listEvents(parts.database, site.id, query, (source) => site.title(source)),
  sendEvents: async ({ site, body }) => {
    const findings = body.flatMap((event, i) => sourceFindings(site, event, body.length > 1 ? [i] : []));
    if (findings.length > 0) throw refuseBody(findings);
    return { items: await acceptEvents(parts, site, body) };
  },
  chain: async ({ site, params }) => {
    const { database } = parts;
    // One moment for all of it: an action that has ended and its delivery that has not would be no chain.
    const read = await atOneMoment(database, async (transaction) => {
      const event = await findEvent(database, site.id, params.id, transaction);
      if (!event) throw unknownItem('event', params.id);
      const span = await listSpan(database, site.id, event, transaction);
      const firings = await listFirings(database, site.id, { event: event.id }, transaction);
      return { event, span, firings };
    });
    const { verdicts, ...event } = read.event;
    return {
      ...read,
      event,
      verdicts,
      site: { key: site.key, name: site.name, timezone: site.timezone },
      title: site.title(event.source.key),
    };
  },
  deliveries: ({ site, query }) => listDeliveries(parts.database, site.id, query),
  media: async ({ site, params, reply }) => {
    const picture = await site.evidence.read(params.id);
    if (!picture) throw unknownItem('picture', params.id);
    void reply.type('image/jpeg').header('cache-control', 'private, max-age=86400, immutable');
    return picture;
  },
});

/** The source must be one that the site has and that can give such an event. */
function sourceFindings(site: SiteRuntime, event: CloudEvent, path: (string | number)[]): Finding[] {
  const [section, key] = event.subject.split('/');
  const { cameras, hooks, inputs, site: own } = site.document;
  const known =
    section === 'cameras' ? key in cameras : section === 'inputs' ? key in inputs : section === 'hooks' ? key in hooks : key === own.key;
  if (!known)
    return [
      {
        level: 'error',
        code: 'unknown-name',
        path: [...path, 'subject'],
        values: {
          what: 'source',
          value: event.subject,
          known: Object.keys({ ...cameras, ...hooks })
            .slice(0, 8)
            .join(', '),
        },
      },
    ];
  if (!canGive(section as EventSection, event.type))
    return [{ level: 'error', code: 'cause-cannot-come', path: [...path, 'type'], values: { event: event.type, value: event.subject } }];
  return [];
}

/**
 * Accepts CloudEvents, each once: the same source and id within a day gets the first answer and changes nothing. All
 * are handed to the engine as one, so that they are in one commit: taken whole or not at all.
 */
async function acceptEvents(parts: WebParts, site: SiteRuntime, sent: readonly CloudEvent[], again = true): Promise<Accepted[]> {
  const { database, clock } = parts;
  const names = sent.map(({ source, id }) => `${source}\n${id}`);
  const digests = names.map(digestOf);
  const { known: knownBefore, over } = await acceptedBefore(database, site.id, digests, clock.wall());
  const before = digests.map((digest) => knownBefore.get(digest.toString('hex')));
  const wall = clock.wall();
  const isNew = (i: number) => !before[i] && names.indexOf(names[i]) === i;
  const fresh = sent.flatMap((event, i) => (isNew(i) ? [{ name: names[i], event: eventIn(event, wall) }] : []));
  const offered = fresh.map(({ name, event }) => ({
    entry: { kind: 'event' as const, event },
    extras: { once: name, anew: over.size > 0 && over.has(digestOf(name).toString('hex')) },
  }));
  const outcomes = offered.length === 0 ? [] : await site.engine.acceptAll(offered).catch((error: unknown) => error as Error);
  // Two who bring the same at the same time: the ledger takes one, and the other gets its answer.
  if (outcomes instanceof Error) {
    if (!again || !isKnownAlready(outcomes)) throw outcomes;
    return await acceptEvents(parts, site, sent, false);
  }
  return sent.map((_, i) => {
    const known = before[i];
    if (known) return { ...known, repeated: true };
    const at = fresh.findIndex(({ name }) => name === names[i]);
    return { id: fresh[at].event.id, number: outcomes[at].number, repeated: !isNew(i) };
  });
}

/** A CloudEvent as the core takes it: what is sent by hand was seen when it arrived. */
function eventIn(event: CloudEvent, wall: number): EventIn {
  const [section, key] = event.subject.split('/');
  const { mark, test = false, sure, number, ...words } = event.data;
  // Text of others is freed of what is no text: nobody's terminal or mail obeys it.
  const data = {
    ...Object.fromEntries(Object.entries(words).map(([name, text]) => [name, plainLine(text, 200)])),
    ...(sure === undefined ? {} : { sure }),
    ...(number === undefined ? {} : { number }),
  };
  return {
    id: newId(),
    kind: event.type,
    section: section as EventSection,
    source: key,
    ...(mark ? { mark } : {}),
    time: event.time ? Date.parse(event.time) : wall,
    seen: wall,
    data,
    depth: 0,
    test,
  };
}
