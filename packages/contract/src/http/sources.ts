import { z } from 'zod';
import { EventData } from '../event.js';

const instant = z.iso.datetime({ precision: 3 });

/** What an input says now. */
export const InputReport = z.object({
  key: z.string(),
  /** Where its readings come from, in short. */
  from: z.string(),
  reading: z.string().optional(),
  /** The last that it told; missing for one that never has. */
  last: instant.optional(),
});
export type InputReport = z.infer<typeof InputReport>;

/** A hook, and the last call of it: kept in memory only, as the caller sent it. */
export const HookReport = z.object({
  key: z.string(),
  /** When its address was issued; missing without one. */
  issued: instant.optional(),
  lastCall: z
    .object({
      at: instant,
      method: z.string(),
      address: z.string(),
      /** The body as text, its beginning where it is long. */
      body: z.string(),
      /** What was taken of it; or why it was refused. */
      took: EventData.optional(),
      refused: z.string().optional(),
    })
    .optional(),
});
export type HookReport = z.infer<typeof HookReport>;

/** What is typed into a camera that can only send; its password is shown once, when it is issued. */
export const AccountReport = z.object({
  key: z.string(),
  kind: z.enum(['upload', 'mail']),
  camera: z.string(),
  host: z.string(),
  /** Missing when nobody listens: another program may have the port. */
  port: z.number().int().optional(),
  user: z.string(),
  /** Folder for uploads. */
  folder: z.string().optional(),
  /** When its password was issued; missing without one. */
  issued: instant.optional(),
  /** When something last arrived over it. */
  last: instant.optional(),
});
export type AccountReport = z.infer<typeof AccountReport>;

/** An arrival that was not taken: the caller learns nothing, the integrator why. */
export const RefusedArrival = z.object({ source: z.string(), at: instant, address: z.string(), reason: z.string() });
export type RefusedArrival = z.infer<typeof RefusedArrival>;
