import { z } from 'zod';
import { Line } from '../key.js';

const speed = z.number().min(-1).max(1).default(0);

/** What a head is told by hand: exactly one. */
export const HeadCommand = z.union([
  /** Go to a preset. */
  z.strictObject({ go: Line }),
  /** Keep where it looks now as a preset. */
  z.strictObject({ save: z.string().regex(/^[a-z][a-z0-9-]{0,40}$/) }),
  /** Turn and zoom: speeds from −1 to 1, for so many ms. */
  z.strictObject({
    move: z.strictObject({ pan: speed, tilt: speed, zoom: speed }),
    forMs: z.number().int().min(50).max(5_000).default(400),
  }),
  z.strictObject({ home: z.literal(true) }),
  z.strictObject({ stop: z.literal(true) }),
]);
export type HeadCommand = z.input<typeof HeadCommand>;

export const HeadReport = z.object({
  presets: z.array(z.object({ token: z.string(), name: z.string() })),
  moving: z.boolean(),
  position: z.object({ pan: z.number(), tilt: z.number(), zoom: z.number() }).optional(),
});
export type HeadReport = z.infer<typeof HeadReport>;
