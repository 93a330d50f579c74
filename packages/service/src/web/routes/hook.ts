import type { FastifyInstance } from 'fastify';
import { newId } from '../../ids.js';
import { mostHookBytes, readHookCall } from '../../intake/hook.js';
import { findHookAddress, writeRefused } from '../../ledger/secrets.js';
import { hooksMay } from '../../own-events.js';
import { Refusal } from '../../problem.js';
import { freshDepth } from '../depth.js';
import type { WebParts } from './context.js';

/**
 * `/in/{secret}`: where other systems report. Unknown, ended and wrongly used addresses get the same answer; why a
 * call of a known one was refused stands in the list of refused arrivals.
 */
export async function hookRoute(app: FastifyInstance, { database, clock, sites }: WebParts): Promise<void> {
  app.removeAllContentTypeParsers();
  app.addContentTypeParser('*', { parseAs: 'buffer', bodyLimit: mostHookBytes }, (_, body, done) => done(null, body));
  app.route<{ Params: { secret: string } }>({
    method: ['GET', 'POST', 'PUT'],
    url: '/in/:secret',
    bodyLimit: mostHookBytes,
    schema: { hide: true },
    handler: async (request) => {
      const wall = clock.wall();
      const found = await findHookAddress(database, request.params.secret);
      const site = found ? sites.byId(found.site) : undefined;
      const hook = found && site?.document.hooks[found.hook];
      if (!found || !site || !hook) throw new Refusal('not-found');
      if (!site.own.mayReport('hooks', found.hook)) throw new Refusal('too-many-reports', { aSecond: hooksMay.aSecond });
      const call = {
        method: request.method,
        address: request.ip,
        body: Buffer.isBuffer(request.body) ? request.body : Buffer.alloc(0),
      };
      const read = readHookCall(hook, call);
      site.calls.note(found.hook, call, read, wall);
      if ('refused' in read) {
        await writeRefused(database, { site: site.id, source: found.hook, at: new Date(wall), address: request.ip, reason: read.refused });
        throw new Refusal('not-found');
      }
      const id = newId();
      await site.engine.accept({
        kind: 'event',
        event: {
          id,
          kind: 'hook.called',
          section: 'hooks',
          source: found.hook,
          time: wall,
          seen: wall,
          data: read.data,
          depth: freshDepth(request.headers['causalis-depth']),
          test: false,
        },
      });
      return { accepted: id };
    },
  });
}
