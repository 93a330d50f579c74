import { z } from 'zod';
import { Key, Line, Topic, Was } from '../../key.js';
import { declareOutput } from './contract.js';

/** What a light can be told, always absolute, never a toggle. */
export const LightValue = z.strictObject({ power: z.boolean(), level: z.number().min(0).max(1).optional() });
export type LightValue = z.infer<typeof LightValue>;

/** A light behind a broker. */
export const light = declareOutput({
  shape: z.strictObject({
    kind: z.literal('light'),
    was: Was,
    over: Key,
    topic: Topic,
    /** Topic on which the device tells its own state. */
    'read-back': Topic.optional(),
    rest: LightValue.default({ power: false }),
    note: Line.optional(),
  }),
  carries: 'set',
  goesTo: ({ topic, over }) => `${topic} over ${over}`,
  broker: ({ over }) => over,
});
