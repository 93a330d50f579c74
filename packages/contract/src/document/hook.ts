import { z } from 'zod';
import { shown } from '../finding.js';
import { Line, Was } from '../key.js';
import { oneOrMany } from '../units.js';

/** A place in a JSON document (RFC 6901). */
export const JsonPointer = z
  .string()
  .max(200)
  .superRefine((text, ctx) => {
    if (!/^(\/([^~/]|~[01])*)+$/.test(text))
      ctx.addIssue({ code: 'custom', params: { code: 'bad-pointer', values: { value: shown(text) } } });
  });

const Network = z.string().superRefine((text, ctx) => {
  if (!/^(\d{1,3}(\.\d{1,3}){3}\/(3[0-2]|[12]?\d)|[0-9a-f:]+\/(12[0-8]|1[01]\d|\d?\d))$/i.test(text))
    ctx.addIssue({ code: 'custom', params: { code: 'bad-network', values: { value: shown(text) } } });
});

/** A secret address at which another system reports. */
export const Hook = z.strictObject({
  was: Was,
  methods: oneOrMany(z.enum(['GET', 'POST', 'PUT']), 3).default(['POST']),
  /** Where callers may come from, as CIDR blocks; absent means anywhere. */
  networks: oneOrMany(Network, 20).optional(),
  /** Which fields of the body become attributes of the event. */
  take: z.strictObject({ label: JsonPointer.optional(), who: JsonPointer.optional(), sure: JsonPointer.optional() }).default({}),
  note: Line.optional(),
});
export type Hook = z.infer<typeof Hook>;
