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
  /** What is wrong with what it sees, since when. */
  view: z.object({ kind: z.enum(['covered', 'moved', 'blurred', 'blinded']), since: z.iso.datetime({ precision: 3 }) }).optional(),
  /** Its head moves, or has only just come to stand: nothing that it sees is motion. */
  moving: z.boolean().optional(),
  /** How its recogniser does, where it has one. */
  recogniser: z.object({ state: z.enum(['working', 'slow', 'failing']), reason: z.string().optional() }).optional(),
  /** The values for the dark are in force. */
  dark: z.boolean().optional(),
  /** Arrivals that were no picture. */
  broken: z.object({ count: z.number().int(), last: z.string(), at: z.iso.datetime({ precision: 3 }) }).optional(),
});
export type CameraState = z.infer<typeof CameraState>;

export const BlobVerdict = z.enum([
  'counted',
  'too-small',
  'too-large',
  'too-short',
  'outside',
  'still',
  'light',
  'sways',
  'fleeting',
  'not-sure',
  'not-wanted',
]);
export type BlobVerdict = z.infer<typeof BlobVerdict>;

/** What one zone shows now. */
export const ZoneLevel = z.object({
  zone: z.string(),
  level: z.number(),
  threshold: z.number(),
  /** By how many grey levels as many of its cells differ as the threshold asks for, and by how many they must. */
  differs: z.number(),
  difference: z.number(),
  /** `quiet` when nothing, `rising` while it must last, `moving` while the event goes on. */
  state: z.enum(['quiet', 'rising', 'moving']),
});
export type ZoneLevel = z.infer<typeof ZoneLevel>;

/** Something that moves, and what the filters made of it. */
export const SeenBox = z.object({ box: Box, verdict: BlobVerdict, track: z.number().int(), size: z.number() });
export type SeenBox = z.infer<typeof SeenBox>;
export const SeenObject = z.object({ box: Box, verdict: BlobVerdict, track: z.number().int(), label: z.string(), sure: z.number() });
export type SeenObject = z.infer<typeof SeenObject>;

/** Header of one message of the live connection; the picture's bytes follow it where `bytes` is over 0. */
export const LiveFrame = z.object({
  camera: z.string(),
  time: z.iso.datetime({ precision: 3 }),
  state: CameraState,
  zones: z.array(ZoneLevel),
  blobs: z.array(SeenBox),
  /** What the recogniser named, where there is one. */
  objects: z.array(SeenObject).default([]),
  /** How many things each filter has removed since the camera is watched. */
  removed: z.record(z.string(), z.number().int()).default({}),
  bytes: z.number().int(),
});
export type LiveFrame = z.infer<typeof LiveFrame>;

/** One value by which a camera is watched, as documents spell it, and where it comes from. */
export const WatchingInForce = z.object({
  name: z.string(),
  value: z.string(),
  from: z.enum(['camera', 'group', 'default']),
  group: z.string().optional(),
  /** It holds in the dark. */
  dark: z.literal(true).optional(),
});
export type WatchingInForce = z.infer<typeof WatchingInForce>;

/** What becomes of one value by which a camera is watched when a document comes into force. */
export const WatchingChange = z.object({
  camera: z.string(),
  name: z.string(),
  dark: z.literal(true).optional(),
  /** What held and what will; neither where only the dark has a value of its own. */
  before: z.string().optional(),
  after: z.string().optional(),
  /** Its group says otherwise now, and it keeps to its own value. */
  own: z.literal(true).optional(),
});
export type WatchingChange = z.infer<typeof WatchingChange>;

/** A mark as the console draws it. */
export const DrawnMark = z.object({
  name: z.string(),
  kind: z.enum(['zone', 'ignored', 'private', 'line']),
  /** Corners of an area or a line; none where it was painted. */
  corners: z.array(Position),
  cells: z.array(z.string()).optional(),
  in: z.enum(['left', 'right']).optional(),
  /** It counts what goes in and out. */
  counter: z.boolean().optional(),
});
export type DrawnMark = z.infer<typeof DrawnMark>;
