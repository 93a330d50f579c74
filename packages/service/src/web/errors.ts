import { type Finding, findingsOf, type Problem, type ProblemCode, problemStatus } from '@causalis/contract';
import { findingText } from '@causalis/words';
import type { FastifyError, FastifyInstance } from 'fastify';
import type { z } from 'zod';
import { newId } from '../ids.js';
import { isAway } from '../ledger/database.js';
import { Refusal } from '../problem.js';

const framework: Readonly<Record<string, [ProblemCode, Record<string, string | number>]>> = {
  FST_ERR_CTP_BODY_TOO_LARGE: ['body-too-large', {}],
  FST_ERR_CTP_INVALID_MEDIA_TYPE: ['wrong-media-type', { expected: 'application/json' }],
  FST_ERR_CTP_EMPTY_JSON_BODY: ['body-refused', { first: 'It is empty.' }],
  FST_ERR_CTP_INVALID_JSON_BODY: ['body-refused', { first: 'It is no JSON.' }],
  FST_ERR_CTP_INVALID_CONTENT_LENGTH: ['body-refused', { first: 'Its length is not what was said.' }],
};

/** The refusal that an error amounts to; nothing for what nobody expected. */
function refusalOf(error: unknown): Refusal | undefined {
  if (error instanceof Refusal) return error;
  if (isAway(error)) return new Refusal('ledger-away', {}, undefined, error);
  const { code, statusCode } = error as FastifyError;
  const known = framework[code];
  if (known) return new Refusal(known[0], known[1]);
  // A file that is none of the console's, by whatever path.
  if (statusCode === 403 || statusCode === 404) return new Refusal('not-found');
  return error instanceof SyntaxError ? new Refusal('body-refused', { first: 'It is no JSON.' }) : undefined;
}

/** Parses a part of a request by its schema; what is not accepted is refused with all its findings. */
export const validate =
  ({ schema, httpPart }: { schema: z.ZodType; httpPart?: string }) =>
  (input: unknown): { value: unknown } | { error: Error } => {
    const read = schema.safeParse(input);
    if (read.success) return { value: read.data };
    const findings = findingsOf(read.error, input, schema);
    // One value may stand for a list of one: the index that reading added is left out again.
    const own = Array.isArray(input)
      ? findings
      : findings.map((finding) => (finding.path[0] === 0 ? { ...finding, path: finding.path.slice(1) } : finding));
    return { error: refuseBody(own, httpPart) };
  };

/** A body, query or parameter that is not accepted, with all its findings and the first of them in words. */
export function refuseBody(findings: Finding[], where = 'body'): Refusal {
  const placed = findings.map((finding) => ({ ...finding, path: where === 'body' ? finding.path : [where, ...finding.path] }));
  return new Refusal('body-refused', { first: placed[0] ? findingText(placed[0]).line : 'It has the wrong form.' }, placed);
}

/** Answers every error as problem details, and logs what nobody expected. */
export function answerErrors(app: FastifyInstance, mostBytes: number): void {
  app.setErrorHandler((error, request, reply) => {
    const refusal = refusalOf(error) ?? new Refusal('went-wrong', { id: newId() }, undefined, error);
    const problem: Problem =
      refusal.code === 'body-too-large'
        ? new Refusal('body-too-large', { most: request.routeOptions.bodyLimit ?? mostBytes }).problem
        : refusal.problem;
    // Who is still sending gets to read why: the rest is let go, and the connection is not broken under them.
    if (refusal.code === 'body-too-large') reply.removeHeader('connection');
    if (refusal.code === 'went-wrong') request.log.error({ err: error, id: refusal.values.id }, 'went wrong');
    if (problem.status === 429) reply.header('retry-after', '60');
    if (problem.status === 503) reply.header('retry-after', '2');
    void reply.status(problemStatus[refusal.code]).type('application/problem+json').serializer(JSON.stringify).send(problem);
  });
}
