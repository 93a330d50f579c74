import { z } from 'zod';
import { shown } from '../finding.js';
import { address, Key, Line, Was } from '../key.js';
import { Dates, Duration, oneOrMany, parseDays, Stretch } from '../units.js';

const Timezone = z.string().superRefine((name, ctx) => {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
  } catch {
    ctx.addIssue({ code: 'custom', params: { code: 'bad-timezone', values: { value: shown(name) } } });
  }
});

/** One place that is watched. */
export const Site = z.strictObject({
  key: Key,
  name: Line,
  language: z.enum(['en']).default('en'),
  timezone: Timezone,
  position: z.strictObject({ latitude: z.number().min(-90).max(90), longitude: z.number().min(-180).max(180) }).optional(),
  /** The first is where a new site starts. */
  modes: z.array(Key).min(1).max(20).default(['normal']),
  addresses: z.strictObject({ inside: address('http', 'https') }).optional(),
  note: Line.optional(),
});
export type Site = z.infer<typeof Site>;

/** A way in which a member is reached. */
export const Way = z.strictObject({ mail: z.email().max(200), over: Key });
export type Way = z.infer<typeof Way>;

/** By what it is known that a member is there: an input that says a word, or a hook that is called; each counts for its grace. */
export const PresenceOf = z
  .strictObject({
    input: Key.optional(),
    is: Line.optional(),
    hook: Key.optional(),
    /** Only calls about this somebody. */
    who: Line.optional(),
    /** Whoever is not seen any more is there for so long. */
    grace: Duration.default('5m'),
  })
  .superRefine(({ input, is, hook, who }, ctx) => {
    if (
      (input === undefined) === (hook === undefined) ||
      (input === undefined) !== (is === undefined) ||
      (who !== undefined && hook === undefined)
    )
      ctx.addIssue({ code: 'custom', params: { code: 'one-of-these', values: { expected: 'input with is, hook' } } });
  });

/** Somebody of the site who can be told. */
export const Member = z.strictObject({
  was: Was,
  name: Line,
  ways: oneOrMany(Way, 5),
  presence: PresenceOf.optional(),
  note: Line.optional(),
});
export type Member = z.infer<typeof Member>;

const Days = z.string().superRefine((text, ctx) => {
  if (!parseDays(text)) ctx.addIssue({ code: 'custom', params: { code: 'bad-days', values: { value: shown(text) } } });
});

/** What is different on some dates: `also` adds to the week, `instead` replaces what begins on these days (an empty list: nothing). */
const DatesOfSchedule = z
  .strictObject({
    days: Dates,
    also: oneOrMany(Stretch, 96).optional(),
    instead: z.array(Stretch).max(96).optional(),
    note: Line.optional(),
  })
  .superRefine((dates, ctx) => {
    if ((dates.also === undefined) === (dates.instead === undefined))
      ctx.addIssue({ code: 'custom', params: { code: 'one-of-these', values: { expected: 'also, instead' } } });
  });

/** Named, shared times of the week, in the site's time zone. */
export const Schedule = z.strictObject({
  was: Was,
  week: z.record(Days, oneOrMany(Stretch, 96)).default({}),
  dates: oneOrMany(DatesOfSchedule, 400).optional(),
  note: Line.optional(),
});
export type Schedule = z.infer<typeof Schedule>;

/** A message broker of the site (MQTT 3.1.1). */
export const Broker = z.strictObject({ was: Was, url: address('mqtt'), note: Line.optional() });
export type Broker = z.infer<typeof Broker>;
