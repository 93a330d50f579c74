import { z } from 'zod';
import { causeKinds, eventKinds, eventSections } from './event-kinds.js';
import { Line } from './key.js';
import { Position } from './units.js';

export const EventKindName = z.enum(eventKinds);
export const EventSource = z.enum(eventSections);

/** A box on a picture: left, top, width and height, each 0 to 1. */
export const Box = z.tuple([z.number(), z.number(), z.number(), z.number()]);
export type Box = z.infer<typeof Box>;

/** What a source knows of an event, beside its kind. All of it optional: a source says what it knows. */
export const EventData = z.object({
  label: z.string().max(100).optional(),
  who: z.string().max(200).optional(),
  sure: z.number().min(0).max(1).optional(),
  /** Largest share of the zone that changed, and the threshold it had to pass. */
  level: z.number().min(0).max(1).optional(),
  threshold: z.number().min(0).max(1).optional(),
  box: Box.optional(),
  /** Over which account something arrived, the name of its file, and what was written with it. */
  account: z.string().max(63).optional(),
  file: z.string().max(200).optional(),
  words: z.string().max(200).optional(),
  /** Which way a line was crossed. */
  direction: z.enum(['in', 'out']).optional(),
  /** What an input says: a word, or a number. */
  reading: z.string().max(200).optional(),
  number: z.number().optional(),
  /** What a counter says now, and which of its thresholds was reached. */
  counts: z.object({ in: z.number().int(), out: z.number().int(), inside: z.number().int() }).optional(),
  reached: z.enum(['in', 'out', 'inside']).optional(),
  /** The picture from before something happened to the view. */
  before: z.uuid().optional(),
  /** Corners of the watched zone, so that a picture of the event can show it. */
  zone: z.array(Position).max(64).optional(),
  /** How long motion lasted, ms. */
  lastedMs: z.number().min(0).optional(),
  reason: z.string().max(300).optional(),
  /** Modes before and after. */
  from: z.string().max(63).optional(),
  to: z.string().max(63).optional(),
  by: z.string().max(100).optional(),
  /** The camera has found it by itself, by a rule of its own of this name. */
  own: z.string().max(100).optional(),
  /** How many there were. */
  count: z.number().int().min(0).optional(),
  /** By how much a clock jumped, ms; back where negative. */
  byMs: z.number().optional(),
  /** Room on the disk, bytes. */
  free: z.number().min(0).optional(),
  /** The rule that was tried, or that it is about. */
  rule: z.string().max(200).optional(),
});
export type EventData = z.infer<typeof EventData>;

const instant = z.iso.datetime({ precision: 3 });

/** Something that happened at a source at a point in time. Times are UTC with milliseconds. */
export const SiteEvent = z.object({
  id: z.uuid(),
  /** The site's own number of the entry that brought it. */
  number: z.number().int(),
  /** The revision of the document by which it was judged. */
  revision: z.number().int(),
  kind: EventKindName,
  source: z.object({ section: EventSource, key: z.string() }),
  mark: z.string().optional(),
  /** What ties events together: began and ended of one motion. */
  span: z.uuid().optional(),
  /** When it happened at its source; when it was seen to count; when it was accepted. */
  time: instant,
  seen: instant,
  accepted: instant,
  data: EventData,
  /** The picture nearest to it. */
  still: z.uuid().optional(),
  /** How many firings of Causalis itself lie behind it. */
  depth: z.number().int().min(0),
  test: z.boolean(),
});
export type SiteEvent = z.infer<typeof SiteEvent>;

/** A CloudEvents 1.0 event in structured JSON; `subject` is section/key. */
export const CloudEvent = z.strictObject({
  specversion: z.literal('1.0'),
  id: Line,
  source: Line,
  type: z.enum(causeKinds),
  subject: z.string().regex(/^(cameras|inputs|hooks|site)\/[a-z][a-z0-9-]{0,62}$/),
  time: z.iso.datetime({ offset: true }).optional(),
  datacontenttype: z.literal('application/json').optional(),
  data: z
    .strictObject({
      mark: z.string().max(63).optional(),
      label: EventData.shape.label,
      who: EventData.shape.who,
      sure: EventData.shape.sure,
      direction: EventData.shape.direction,
      reading: EventData.shape.reading,
      number: EventData.shape.number,
      test: z.boolean().optional(),
    })
    .default({}),
});
export type CloudEvent = z.infer<typeof CloudEvent>;
