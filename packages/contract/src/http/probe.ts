import { z } from 'zod';
import { ownReports } from '../document/camera.js';
import { Feed } from '../document/feed.js';
import { Line } from '../key.js';

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
  /** What the device calls itself wherever it is. */
  device: z.string().optional(),
  /** SHA-256 of a certificate that nobody has signed: it can be pinned in the feed. */
  fingerprint: z.string().optional(),
  /** By how much its clock is ahead of ours, ms. */
  clockMs: z.number().optional(),
  /** Until the first picture. */
  tookMs: z.number(),
  /** JPEG, base64. */
  picture: z.string().optional(),
  profiles: z.array(ProbedProfile).default([]),
});
export type ProbeReport = z.infer<typeof ProbeReport>;

/** A device that answered when the network was searched. */
export const FoundDevice = z.object({
  /** What it calls itself wherever it is. */
  device: z.string(),
  url: z.string(),
  name: z.string().optional(),
  model: z.string().optional(),
  /** The camera of the document that is this device, and whether its address is another there. */
  camera: z.string().optional(),
  moved: z.boolean().optional(),
});
export type FoundDevice = z.infer<typeof FoundDevice>;

/** An address of which only the host is known. */
export const PathsRequest = z.strictObject({
  /** Host, with a port where it is not the usual one. */
  host: z.string().regex(/^(\[[0-9a-f:]+\]|[\w.-]{1,200})(:\d{1,5})?$/i),
  user: Line.optional(),
  password: z.string().max(500).optional(),
});
export const PathsReport = z.object({
  tried: z.number().int(),
  found: z.array(z.object({ kind: z.enum(['onvif', 'rtsp', 'multipart', 'still']), url: z.string(), report: ProbeReport })),
});
export type PathsReport = z.infer<typeof PathsReport>;

/** What an ONVIF camera can report by itself: which of it is taken, and when it last came since the service started. */
export const OwnReportState = z.object({
  what: z.enum(ownReports),
  taken: z.boolean(),
  last: z.iso.datetime({ precision: 3 }).optional(),
});
/** Digital inputs and relay outputs of a camera, by token. */
export const DeviceReport = z.object({
  reports: z.array(OwnReportState),
  inputs: z.array(z.string()),
  relays: z.array(z.string()),
});
export type DeviceReport = z.infer<typeof DeviceReport>;

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
