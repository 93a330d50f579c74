import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import fastifyStatic from '@fastify/static';
import type { FastifyInstance } from 'fastify';
import { Refusal } from '../problem.js';
import { pagePolicy } from './safety.js';

/** Where the built console lies: beside this package. */
const folder = fileURLToPath(new URL('../../../../console/dist/', import.meta.url));
/** Pages of the console; each is the same document, which finds its way by itself. */
const pages = ['/', '/sign-in', '/cameras', '/cameras/*', '/sources', '/outputs', '/rules', '/ledger', '/ledger/*', '/site', '/site/*'];

/** Serves the console: its one page with a fresh nonce each time, its files with a long life. */
export async function serveConsole(app: FastifyInstance): Promise<void> {
  if (!existsSync(folder)) return;
  const page = readFileSync(`${folder}index.html`, 'utf8');
  await app.register(fastifyStatic, {
    root: `${folder}assets`,
    prefix: '/assets/',
    decorateReply: false,
    immutable: true,
    maxAge: '365d',
    index: false,
  });
  for (const url of pages) {
    app.get(url, { schema: { hide: true } }, async (_, reply) => {
      const nonce = randomBytes(16).toString('base64');
      reply.header('content-security-policy', pagePolicy(nonce)).header('cache-control', 'no-store').type('text/html; charset=utf-8');
      return page.replaceAll('__NONCE__', nonce);
    });
  }
  app.setNotFoundHandler(() => {
    throw new Refusal('not-found');
  });
}
