import { z } from 'zod';
import { address, Key, Line, SecretRef, Topic } from '../key.js';

const host = z.string().regex(/^[A-Za-z0-9.:-]{1,253}$/);

/** A mail server. */
export const SmtpOutput = z.strictObject({
  kind: z.literal('smtp'),
  host,
  port: z.number().int().min(1).max(65535).default(587),
  security: z.enum(['none', 'starttls', 'tls']).default('starttls'),
  user: Line.optional(),
  password: SecretRef.optional(),
  from: z.email().max(200),
  note: Line.optional(),
});

/** Another system that is called over HTTP. */
export const CallOutput = z.strictObject({
  kind: z.literal('call'),
  url: address('http', 'https'),
  /** Signs each call after Standard Webhooks. */
  sign: SecretRef.optional(),
  note: Line.optional(),
});

/** What a light can be told, always absolute, never a toggle. */
export const LightValue = z.strictObject({ power: z.boolean(), level: z.number().min(0).max(1).optional() });
export type LightValue = z.infer<typeof LightValue>;

/** A light behind a broker. */
export const LightOutput = z.strictObject({
  kind: z.literal('light'),
  over: Key,
  topic: Topic,
  /** Topic on which the device tells its own state. */
  'read-back': Topic.optional(),
  rest: LightValue.default({ power: false }),
  note: Line.optional(),
});
export type LightOutput = z.infer<typeof LightOutput>;

/** A way out that is set up once. */
export const Output = z.discriminatedUnion('kind', [SmtpOutput, CallOutput, LightOutput]);
export type Output = z.infer<typeof Output>;
export type OutputKind = Output['kind'];
