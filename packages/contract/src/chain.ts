import { z } from 'zod';
import { guardNames } from './document/guard.js';
import { LightValue } from './document/outputs/light.js';
import { Priority, verbNames } from './document/rule.js';
import { SiteEvent } from './event.js';

const instant = z.iso.datetime({ precision: 3 });

/** How one guard judged. */
export const GuardResult = z.object({
  guard: z.enum(guardNames),
  holds: z.boolean(),
  /** What it wanted: the schedule's key, or the modes. */
  wanted: z.string(),
  /** What it saw: local day and time, or the mode. */
  saw: z.string(),
});
export type GuardResult = z.infer<typeof GuardResult>;

/** What held a rule back, with the value that decided. */
export const HeldBy = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('inactive') }),
  z.object({ kind: z.literal('late'), byMs: z.number(), mostMs: z.number() }),
  z.object({ kind: z.literal('guard'), index: z.number().int() }),
  z.object({ kind: z.literal('cooldown'), key: z.string(), leftMs: z.number(), since: instant }),
  z.object({ kind: z.literal('circle'), depth: z.number().int(), most: z.number().int() }),
]);
export type HeldBy = z.infer<typeof HeldBy>;

/** What a rule made of an event. */
export const Verdict = z.object({
  rule: z.string(),
  title: z.string(),
  verdict: z.enum(['fired', 'held']),
  by: HeldBy.optional(),
  guards: z.array(GuardResult),
  firing: z.uuid().optional(),
});
export type Verdict = z.infer<typeof Verdict>;

export const deliveryStates = ['waiting', 'sending', 'retrying', 'delivered', 'failed', 'expired', 'cancelled'] as const;
export const DeliveryState = z.enum(deliveryStates);
export type DeliveryState = z.infer<typeof DeliveryState>;

/** One step of the way to another side: its name, how long it took, and whether it was passed. */
export const WayStep = z.object({
  step: z.enum(['name', 'connection', 'greeting', 'encryption', 'sign-in', 'acceptance', 'answer', 'broker']),
  tookMs: z.number(),
  passed: z.boolean(),
});
export type WayStep = z.infer<typeof WayStep>;

/** One try with its answer and time. */
export const Attempt = z.object({
  number: z.number().int(),
  began: instant,
  tookMs: z.number().optional(),
  outcome: z.enum(['delivered', 'failed', 'unknown']),
  /** Stable word of what happened. */
  code: z.string(),
  /** The other side's own words, bounded. */
  answer: z.string().optional(),
  /** The steps of the way, where they were taken one by one. */
  steps: z.array(WayStep).optional(),
});
export type Attempt = z.infer<typeof Attempt>;

/** What came back later. */
export const Receipt = z.object({ at: instant, kind: z.enum(['read-back']), value: z.string() });
export type Receipt = z.infer<typeof Receipt>;

/** One action, one output, one recipient, until it ends. */
export const Delivery = z.object({
  id: z.uuid(),
  firing: z.uuid(),
  event: z.uuid(),
  rule: z.string(),
  action: z.string(),
  output: z.string(),
  verb: z.enum(verbNames),
  recipient: z.string().optional(),
  state: DeliveryState,
  priority: Priority,
  created: instant,
  due: instant.optional(),
  expires: instant.optional(),
  ended: instant.optional(),
  /** For a light: what it is set to; `back` when it returns to what it was. */
  sets: LightValue.optional(),
  /** For a head: where it is turned to. */
  looks: z.string().optional(),
  back: z.boolean(),
  /** The delivery that this one sends again. */
  again: z.uuid().optional(),
  /** Repeats can be dropped by this key: it is the same in all attempts. */
  key: z.string(),
  test: z.boolean(),
  attempts: z.array(Attempt),
  receipts: z.array(Receipt),
});
export type Delivery = z.infer<typeof Delivery>;

export const SkipReason = z.enum(['needed-failed', 'needed-late', 'no-picture', 'rule-changed', 'no-camera', 'hand-at-head', 'head-busy']);
export type SkipReason = z.infer<typeof SkipReason>;

/** One action of a firing. */
export const ActionReport = z.object({
  name: z.string(),
  verb: z.enum(verbNames),
  state: z.enum(['waiting', 'started', 'skipped', 'ended']),
  succeeded: z.boolean().optional(),
  reason: SkipReason.optional(),
  /** Actions whose result it waits for. */
  after: z.array(z.string()),
  started: instant.optional(),
  ended: instant.optional(),
  stills: z.array(z.uuid()),
  deliveries: z.array(Delivery),
});
export type ActionReport = z.infer<typeof ActionReport>;

/** One time that a rule fired. */
export const Firing = z.object({
  id: z.uuid(),
  rule: z.string(),
  title: z.string(),
  priority: Priority,
  event: z.uuid(),
  at: instant,
  test: z.boolean(),
  actions: z.array(ActionReport),
});
export type Firing = z.infer<typeof Firing>;

/** From cause to effect: an event, what each rule made of it, and what became of each firing. */
export const Chain = z.object({
  event: SiteEvent,
  /** The other events of its span. */
  span: z.array(z.object({ id: z.uuid(), kind: z.string(), time: instant })),
  verdicts: z.array(Verdict),
  firings: z.array(Firing),
  site: z.object({ key: z.string(), name: z.string(), timezone: z.string() }),
  /** Title of the source, as the document has it now. */
  title: z.string(),
});
export type Chain = z.infer<typeof Chain>;
