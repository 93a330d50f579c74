import { z } from 'zod';
import { Finding } from './finding.js';

/** Every error that the service answers, with its HTTP status; `words` has its sentence and mend. */
export const problemStatus = {
  'not-signed-in': 401,
  'wrong-password': 401,
  'not-permitted': 403,
  'foreign-origin': 403,
  'unknown-host': 421,
  'not-found': 404,
  'unknown-site': 404,
  'unknown-item': 404,
  'unknown-mode': 422,
  'unknown-delivery': 404,
  'unknown-user': 404,
  'wrong-method': 405,
  'not-retryable': 409,
  'not-cancellable': 409,
  'not-sendable': 409,
  'name-taken': 409,
  'last-integrator': 409,
  'no-picture-yet': 409,
  'no-head': 409,
  'no-device-name': 409,
  'device-not-found': 409,
  'camera-refused': 502,
  'revision-outdated': 412,
  'body-too-large': 413,
  'wrong-media-type': 415,
  'body-refused': 422,
  'document-refused': 422,
  'secret-unused': 422,
  'nowhere-to': 422,
  'not-a-light': 422,
  'revision-missing': 428,
  'too-many-tries': 429,
  'too-many-reports': 429,
  'went-wrong': 500,
  'ledger-away': 503,
  starting: 503,
  'held-elsewhere': 503,
} as const;
export type ProblemCode = keyof typeof problemStatus;

/** Problem details (RFC 9457). */
export const Problem = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number().int(),
  detail: z.string(),
  code: z.string(),
  findings: z.array(Finding).optional(),
  values: z.record(z.string(), z.union([z.string(), z.number()])).optional(),
});
export type Problem = z.infer<typeof Problem>;
