import type { FastifyRequest } from 'fastify';

/** Attributes of CloudEvents 1.0 that are taken from headers. */
const attributes = ['specversion', 'id', 'source', 'type', 'subject', 'time'] as const;

/** A header's value as its sender meant it (CloudEvents HTTP binding §3.1.3.2: percent-encoded UTF-8); as it is where that is none. */
function decoded(value: string): string {
  try {
    return decodeURIComponent(value);
  } catch {
    return value;
  }
}

/** A CloudEvent in binary mode (HTTP binding §3.1), its attributes in headers and its data as the body, as one in structured mode. */
export function asStructured(request: FastifyRequest): void {
  if (request.headers['ce-specversion'] === undefined) return;
  const event = Object.fromEntries(
    attributes.flatMap((name) => {
      const value = request.headers[`ce-${name}`];
      return typeof value === 'string' ? [[name, decoded(value)]] : [];
    }),
  );
  request.body = { ...event, ...(request.body === undefined || request.body === null ? {} : { data: request.body }) };
}
