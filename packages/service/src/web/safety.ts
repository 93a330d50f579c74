import type { FastifyInstance, FastifyRequest } from 'fastify';
import { Refusal } from '../problem.js';

const loopback = new Set(['localhost', '127.0.0.1', '[::1]']);
const nameOf = (host: string): string => host.replace(/:\d+$/, '').toLowerCase();

/** Answers only under its own names: a page elsewhere that has our address in its name (DNS rebinding) gets nothing. */
export function checkHost(request: FastifyRequest, names: () => ReadonlySet<string>): void {
  const host = nameOf(request.headers.host ?? '');
  if (!loopback.has(host) && !names().has(host)) throw new Refusal('unknown-host', { host: host.slice(0, 80) });
}

/** Changes that a browser sends with a cookie come from our own pages only. */
export function checkOrigin(request: FastifyRequest, always: boolean): void {
  if (!always && (request.method === 'GET' || request.method === 'HEAD')) return;
  const { origin } = request.headers;
  if (origin === undefined && request.headers['sec-fetch-site'] === undefined) return;
  let host: string | undefined;
  try {
    host = new URL(origin ?? '').host;
  } catch {
    host = undefined;
  }
  if (host !== request.headers.host) throw new Refusal('foreign-origin');
}

/** Headers for every answer; pages get their own content policy. */
export const safeHeaders: Readonly<Record<string, string>> = {
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'no-referrer',
  'cross-origin-opener-policy': 'same-origin',
  'cross-origin-resource-policy': 'same-origin',
  'x-frame-options': 'DENY',
  'content-security-policy': "default-src 'none'; frame-ancestors 'none'",
};

/** The tightest policy under which the console works: scripts of ours only, styles with this answer's nonce. */
export const pagePolicy = (nonce: string): string =>
  [
    "default-src 'none'",
    "script-src 'self'",
    "connect-src 'self'",
    "img-src 'self' data: blob:",
    "media-src 'self'",
    "font-src 'self'",
    `style-src-elem 'self' 'nonce-${nonce}'`,
    "style-src-attr 'none'",
    "base-uri 'none'",
    "frame-ancestors 'none'",
    "form-action 'self'",
  ].join('; ');

export function addSafeHeaders(app: FastifyInstance): void {
  app.addHook('onRequest', async (_, reply) => {
    reply.headers(safeHeaders);
  });
}
