import { z } from 'zod';
import { Box } from './event.js';
import { Position } from './units.js';

export const CameraStateName = z.enum(['live', 'late', 'frozen', 'lost']);

/** How a camera is, and since when. */
export const CameraState = z.object({
  state: CameraStateName,
  since: z.iso.datetime({ precision: 3 }),
  /** Why it is lost: a stable word and what the other side said. */
  reason: z.object({ code: z.string(), detail: z.string().optional() }).optional(),
  width: z.number().int().optional(),
  height: z.number().int().optional(),
  /** Pictures a second over the last seconds. */
  rate: z.number().optional(),
  /** Still learning the background: events wait. */
  settling: z.boolean().optional(),
  /** Arrivals that were no picture. */
  broken: z.object({ count: z.number().int(), last: z.string(), at: z.iso.datetime({ precision: 3 }) }).optional(),
});
export type CameraState = z.infer<typeof CameraState>;

export const BlobVerdict = z.enum(['counted', 'too-small', 'too-large', 'too-short', 'outside', 'still', 'light', 'sways']);
export type BlobVerdict = z.infer<typeof BlobVerdict>;

/** What one zone shows now. */
export const ZoneLevel = z.object({
  zone: z.string(),
  level: z.number(),
  threshold: z.number(),
  /** `quiet` when nothing, `rising` while it must last, `moving` while the event goes on. */
  state: z.enum(['quiet', 'rising', 'moving']),
});
export type ZoneLevel = z.infer<typeof ZoneLevel>;

/** Header of one message of the live connection; the picture's bytes follow it where `bytes` is over 0. */
export const LiveFrame = z.object({
  camera: z.string(),
  time: z.iso.datetime({ precision: 3 }),
  state: CameraState,
  zones: z.array(ZoneLevel),
  blobs: z.array(z.object({ box: Box, verdict: BlobVerdict })),
  bytes: z.number().int(),
});
export type LiveFrame = z.infer<typeof LiveFrame>;

/** One value by which a camera is watched, as documents spell it, and where it comes from. */
export const WatchingInForce = z.object({
  name: z.string(),
  value: z.string(),
  from: z.enum(['camera', 'group', 'default']),
  group: z.string().optional(),
});
export type WatchingInForce = z.infer<typeof WatchingInForce>;

/** A mark as the console draws it. */
export const DrawnMark = z.object({ name: z.string(), kind: z.enum(['zone', 'ignored']), corners: z.array(Position) });
export type DrawnMark = z.infer<typeof DrawnMark>;
