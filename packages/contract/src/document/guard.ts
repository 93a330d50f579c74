import { z } from 'zod';
import { Key, Line } from '../key.js';
import { oneOrMany } from '../units.js';

const Bounds = z.strictObject({ above: z.number().int().optional(), below: z.number().int().optional() }).optional();

/** The words that a guard can say and the value of each: a new one is one line here, and its file in core. */
const guardShapes = {
  schedule: Key.optional(),
  mode: oneOrMany(Key, 20).optional(),
  /** What inputs must say: a word, one of some, or a number within bounds. */
  reading: z
    .record(Key, z.union([oneOrMany(Line, 20), z.strictObject({ above: z.number().optional(), below: z.number().optional() })]))
    .optional(),
  /** Who must be there: one of these members, or nobody. */
  present: oneOrMany(z.union([z.literal('nobody'), Key]), 20).optional(),
  /** What a counter must say: camera/mark, then in, out or inside. */
  count: z
    .record(z.string().regex(/^[a-z][a-z0-9-]{0,62}\/[a-z][a-z0-9-]{0,62}$/), z.strictObject({ in: Bounds, out: Bounds, inside: Bounds }))
    .optional(),
};
export type GuardName = keyof typeof guardShapes;
export const guardNames = Object.keys(guardShapes) as GuardName[];

/** What must hold besides the cause; exactly one word each. */
export const Guard = z.strictObject(guardShapes).superRefine((guard, ctx) => {
  if (guardNames.filter((word) => guard[word] !== undefined).length !== 1)
    ctx.addIssue({ code: 'custom', params: { code: 'one-of-these', values: { expected: guardNames.join(', ') } } });
});
export type Guard = z.infer<typeof Guard>;
