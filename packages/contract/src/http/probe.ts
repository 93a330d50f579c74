import { z } from 'zod';
import { Feed } from '../document/feed.js';

/** What is asked about an address before a camera is made of it. */
export const ProbeRequest = z.strictObject({
  feed: Feed,
  /** In the place of a secret that is not set yet; it is used once and kept nowhere. */
  password: z.string().max(500).optional(),
  /** Look at every channel of a recorder, with a picture each. */
  channels: z.boolean().default(false),
});
export type ProbeRequest = z.input<typeof ProbeRequest>;

/** One channel of a recorder, or one size of a camera. */
export const ProbedProfile = z.object({
  token: z.string(),
  name: z.string(),
  /** Profiles of one source show the same in several sizes. */
  source: z.string(),
  codec: z.string().optional(),
  width: z.number().int().optional(),
  height: z.number().int().optional(),
  rate: z.number().optional(),
  ptz: z.boolean(),
  /** JPEG, base64. */
  picture: z.string().optional(),
});

/** What answered, and what it sends; or why it does not. */
export const ProbeReport = z.object({
  ok: z.boolean(),
  /** Why not: one of the reasons of a camera's state, with the other side's words. */
  code: z.string().optional(),
  detail: z.string().optional(),
  codec: z.string().optional(),
  width: z.number().int().optional(),
  height: z.number().int().optional(),
  /** Pictures a second: as measured, else as declared. */
  rate: z.number().optional(),
  maker: z.string().optional(),
  /** By how much its clock is ahead of ours, ms. */
  clockMs: z.number().optional(),
  /** Until the first picture. */
  tookMs: z.number(),
  /** JPEG, base64. */
  picture: z.string().optional(),
  profiles: z.array(ProbedProfile).default([]),
});
export type ProbeReport = z.infer<typeof ProbeReport>;

const count = z.number().int();
/** What a counter says now. */
export const CounterReport = z.object({
  camera: z.string(),
  mark: z.string(),
  in: count,
  out: count,
  inside: count,
  since: z.iso.datetime({ precision: 3 }).optional(),
});
export type CounterReport = z.infer<typeof CounterReport>;
