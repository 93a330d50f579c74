import type { StreamMessage } from '@causalis/contract';
import type { FastifyReply, FastifyRequest } from 'fastify';
import type { SiteRuntime } from '../../site.js';
import { safeHeaders } from '../safety.js';

/** A line now and then, so that both sides notice a connection that is gone. */
const beatMs = 15_000;
/** A listener that takes nothing is let go rather than kept in memory. */
const mostBehind = 4 * 1024 * 1024;

/** Server-sent events of a site (WHATWG HTML §9.2); resumes after `Last-Event-ID`. */
export function openStream(site: SiteRuntime, request: FastifyRequest, reply: FastifyReply): void {
  reply.hijack();
  const out = reply.raw;
  out.writeHead(200, {
    ...safeHeaders,
    'content-type': 'text/event-stream; charset=utf-8',
    'cache-control': 'no-store',
    'x-accel-buffering': 'no',
  });
  const say = (id: string, message: StreamMessage) => {
    out.write(`id: ${id}\nevent: ${message.kind}\ndata: ${JSON.stringify(message)}\n\n`);
    if (out.writableLength > mostBehind) out.destroy();
  };
  const after = request.headers['last-event-id'];
  const { announcer } = site;
  const missed = after === undefined ? [] : announcer.since(String(after));
  if (missed === undefined || after === undefined) say(announcer.newest, { kind: 'reset' });
  for (const { id, message } of missed ?? []) say(id, message);
  const silence = announcer.listen(({ id, message }) => say(id, message));
  const beat = setInterval(() => out.write(': here\n\n'), beatMs);
  out.on('close', () => {
    clearInterval(beat);
    silence();
  });
}
