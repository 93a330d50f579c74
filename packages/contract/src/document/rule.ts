import { z } from 'zod';
import { causeKinds } from '../event-kinds.js';
import { Key, Line, Was } from '../key.js';
import { Duration, oneOrMany } from '../units.js';
import { Guard } from './guard.js';
import { LightValue } from './outputs/light.js';

/** How much a firing matters. */
export const Priority = z.enum(['routine', 'important', 'urgent']);
export type Priority = z.infer<typeof Priority>;

/** A group may be named as `{ group: perimeter }` too: keys are unique among all sources. */
const groupByName = (value: unknown): unknown =>
  typeof value === 'object' && value !== null && !Array.isArray(value) && Object.keys(value).join() === 'group'
    ? (value as { group: unknown }).group
    : value;

/** Which events a rule considers. */
export const Cause = z.strictObject({
  event: oneOrMany(z.enum(causeKinds), 20),
  /** Cameras, groups of cameras or hooks; absent means every source. */
  at: z.preprocess(groupByName, oneOrMany(Key, 500)).optional(),
  mark: oneOrMany(Key, 100).optional(),
  label: oneOrMany(Line, 50).optional(),
  who: oneOrMany(Line, 50).optional(),
  /** What an input says. */
  reading: oneOrMany(Line, 50).optional(),
  /** Which way a line was crossed. */
  direction: z.enum(['in', 'out']).optional(),
  /** Least confidence, 0 to 1. */
  sure: z.number().min(0).max(1).optional(),
});
export type Cause = z.infer<typeof Cause>;

/** What a cooldown counts apart. */
export const CooldownPart = z.enum(['camera', 'mark', 'track', 'label', 'who']);
export type CooldownPart = z.infer<typeof CooldownPart>;

/** The smallest distance of two firings. */
export const Cooldown = z.strictObject({ for: Duration, per: oneOrMany(CooldownPart, 5, 0).default([]) });
export type Cooldown = z.infer<typeof Cooldown>;

/** An action that waits, at most `for`, for the result of another. */
export const Need = z.strictObject({ action: Key, for: Duration, else: z.enum(['go', 'skip']).default('go') });
export type Need = z.infer<typeof Need>;

/** The words that say what an action does, and the words that go with each. */
const verbs = {
  tell: ['words', 'with'],
  still: [],
  call: ['words', 'with'],
  set: ['to', 'for'],
  look: ['preset', 'for'],
} as const;
export type Verb = keyof typeof verbs;
export const verbNames = Object.keys(verbs) as Verb[];

/** One thing that a rule does. */
export const Action = z
  .strictObject({
    tell: oneOrMany(Key, 50).optional(),
    still: z.strictObject({ camera: Key.optional() }).optional(),
    call: Key.optional(),
    set: Key.optional(),
    /** Turns a camera's head to a preset, a tour or home. */
    look: Key.optional(),
    preset: Line.optional(),
    words: z.string().min(1).max(1000).optional(),
    with: Key.optional(),
    to: LightValue.optional(),
    for: Duration.optional(),
    needs: oneOrMany(Need, 10).optional(),
    note: Line.optional(),
  })
  .superRefine((action, ctx) => {
    const said = verbNames.filter((verb) => action[verb] !== undefined);
    if (said.length !== 1) {
      ctx.addIssue({ code: 'custom', params: { code: 'one-of-these', values: { expected: verbNames.join(', ') } } });
      return;
    }
    for (const word of ['words', 'with', 'to', 'for', 'preset'] as const) {
      if (action[word] !== undefined && !(verbs[said[0]] as readonly string[]).includes(word))
        ctx.addIssue({ code: 'custom', path: [word], params: { code: 'word-not-here', values: { word, action: said[0] } } });
    }
    if (action.set !== undefined && action.to === undefined)
      ctx.addIssue({ code: 'custom', path: ['to'], params: { code: 'missing', values: { expected: 'a value such as { power: true }' } } });
    if (action.look !== undefined && action.preset === undefined)
      ctx.addIssue({
        code: 'custom',
        path: ['preset'],
        params: { code: 'missing', values: { expected: 'the name of a preset, or home' } },
      });
  });
export type Action = z.infer<typeof Action>;

/** What an action does, as a single word. */
export function verbOf(action: Action): Verb {
  const verb = verbNames.find((name) => action[name] !== undefined);
  if (!verb) throw new RangeError('an action without a verb');
  return verb;
}

/** A cause, its guards, a cooldown and its actions. */
export const Rule = z.strictObject({
  was: Was,
  title: Line,
  active: z.boolean().default(false),
  priority: Priority.default('routine'),
  cause: Cause,
  guards: oneOrMany(Guard, 20, 0).optional(),
  cooldown: Cooldown.optional(),
  actions: z.record(Key, Action).default({}),
  note: Line.optional(),
});
export type Rule = z.infer<typeof Rule>;
