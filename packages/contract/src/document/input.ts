import { z } from 'zod';
import { Key, Line, Topic, Was } from '../key.js';
import { JsonPointer } from './hook.js';

/** A sensor behind a broker, or a digital input of an ONVIF camera: words that it says, or a number. */
export const Input = z
  .strictObject({
    was: Was,
    over: Key.optional(),
    topic: Topic.optional(),
    /** A camera, and the token of its input; it says `true` and `false`. */
    camera: Key.optional(),
    input: Line.optional(),
    /** What it sends, and the reading that this means. */
    readings: z
      .record(z.string().max(200), Line)
      .refine((readings) => Object.keys(readings).length > 0)
      .optional(),
    /** It sends a number, in this unit. */
    number: z.string().max(20).optional(),
    /** Where its value stands in what it sends, when that is JSON. */
    at: JsonPointer.optional(),
    note: Line.optional(),
  })
  .superRefine((input, ctx) => {
    if ((input.readings === undefined) === (input.number === undefined))
      ctx.addIssue({ code: 'custom', params: { code: 'one-of-these', values: { expected: 'readings, number' } } });
    const [byBroker, byCamera] = [
      [input.over, input.topic],
      [input.camera, input.input],
    ].map((pair) => pair.filter((one) => one !== undefined).length);
    if (byBroker + byCamera !== 2 || byBroker === 1)
      ctx.addIssue({ code: 'custom', params: { code: 'one-of-these', values: { expected: 'over with topic, camera with input' } } });
  });
export type Input = z.infer<typeof Input>;
