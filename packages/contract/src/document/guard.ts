import { z } from 'zod';
import { Key } from '../key.js';
import { oneOrMany } from '../units.js';

/** The words that a guard can say and the value of each: a new one is one line here, and its file in core. */
const guardShapes = {
  schedule: Key.optional(),
  mode: oneOrMany(Key, 20).optional(),
};
export type GuardName = keyof typeof guardShapes;
export const guardNames = Object.keys(guardShapes) as GuardName[];

/** What must hold besides the cause; exactly one word each. */
export const Guard = z.strictObject(guardShapes).superRefine((guard, ctx) => {
  if (guardNames.filter((word) => guard[word] !== undefined).length !== 1)
    ctx.addIssue({ code: 'custom', params: { code: 'one-of-these', values: { expected: guardNames.join(', ') } } });
});
export type Guard = z.infer<typeof Guard>;
