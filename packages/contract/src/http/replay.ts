import { z } from 'zod';
import { Watching } from '../document/camera.js';
import { Mark } from '../document/mark.js';
import { Box } from '../event.js';
import { Key } from '../key.js';

const instant = z.iso.datetime({ precision: 3 });

/** Settings to be tried on what is remembered; what is left out is as it is in force. */
export const ReplayRequest = z.strictObject({
  marks: z.record(Key, Mark).optional(),
  watching: Watching.optional(),
  /** From when to when; the last day unless said. */
  from: z.iso.datetime({ offset: true }).optional(),
  to: z.iso.datetime({ offset: true }).optional(),
});
export type ReplayRequest = z.input<typeof ReplayRequest>;

export const ReplayedMotion = z.object({
  zone: z.string(),
  first: instant,
  last: instant,
  /** Highest share of the zone that changed, and the largest thing as a share of the picture. */
  level: z.number(),
  size: z.number(),
  box: Box,
});
export type ReplayedMotion = z.infer<typeof ReplayedMotion>;

const most = z.array(ReplayedMotion).max(500);
/** Which events would stay, come and go. Lists hold the newest; counts are whole. */
export const ReplayReport = z.object({
  from: instant,
  to: instant,
  /** Pictures with something on them that are remembered. */
  pictures: z.number().int(),
  counts: z.object({
    before: z.number().int(),
    after: z.number().int(),
    stay: z.number().int(),
    come: z.number().int(),
    go: z.number().int(),
  }),
  stay: most,
  come: most,
  go: most,
  /** Blobs that each filter removes with the settings that were tried. */
  removed: z.record(z.string(), z.number().int()),
});
export type ReplayReport = z.infer<typeof ReplayReport>;

/** Values with which the last minutes, taken as ordinary scene, give no event. */
export const SuggestReport = z.object({
  from: instant,
  to: instant,
  pictures: z.number().int(),
  /** How many events there were with what is in force. */
  events: z.number().int(),
  watching: Watching,
});
export type SuggestReport = z.infer<typeof SuggestReport>;
