import { z } from 'zod';
import { Line, SecretRef, Was } from '../../key.js';
import { declareOutput } from './contract.js';

const host = z.string().regex(/^[A-Za-z0-9.:-]{1,253}$/);

/** A mail server. */
export const smtp = declareOutput({
  shape: z.strictObject({
    kind: z.literal('smtp'),
    was: Was,
    host,
    port: z.number().int().min(1).max(65535).default(587),
    security: z.enum(['none', 'starttls', 'tls']).default('starttls'),
    user: Line.optional(),
    password: SecretRef.optional(),
    from: z.email().max(200),
    note: Line.optional(),
  }),
  carries: 'tell',
  goesTo: ({ host, port }) => `${host}:${port}`,
  secret: ({ password, host, port }) => password && { key: password.secret, host: `${host}:${port}` },
});
