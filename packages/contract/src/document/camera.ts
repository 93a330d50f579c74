import { z } from 'zod';
import { address, Key, Line, SecretRef, Was } from '../key.js';
import { Duration, Position, Share } from '../units.js';

/** How pictures arrive. */
export const Feed = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('multipart'),
    url: address('http', 'https'),
    user: Line.optional(),
    password: SecretRef.optional(),
  }),
]);
export type Feed = z.infer<typeof Feed>;

/** Corners of an area; it may not cross itself. */
const Polygon = z
  .array(Position)
  .min(3)
  .max(64)
  .superRefine((corners, ctx) => {
    if (crossesItself(corners)) ctx.addIssue({ code: 'custom', params: { code: 'polygon-crosses', values: {} } });
  });

function crossesItself(corners: readonly (readonly [number, number])[]): boolean {
  const side = (a: readonly number[], b: readonly number[], c: readonly number[]) =>
    Math.sign((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]));
  const n = corners.length;
  for (let i = 0; i < n; i++) {
    for (let k = i + 2; k < n; k++) {
      if (i === 0 && k === n - 1) continue;
      const [a, b, c, d] = [corners[i], corners[(i + 1) % n], corners[k], corners[(k + 1) % n]];
      if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) return true;
    }
  }
  return false;
}

/** Something drawn on a picture: a zone that is watched, or an area that is ignored. */
export const Mark = z
  .strictObject({ zone: Polygon.optional(), ignored: Polygon.optional(), note: Line.optional() })
  .superRefine((mark, ctx) => {
    if ((mark.zone === undefined) === (mark.ignored === undefined))
      ctx.addIssue({ code: 'custom', params: { code: 'one-of-these', values: { expected: 'zone, ignored' } } });
  });
export type Mark = z.infer<typeof Mark>;

/** How a camera is watched: every value has a default that suits a camera at a drive. */
export const Watching = z.strictObject({
  /** How much a pixel must differ, in grey levels of 255. */
  difference: z.number().int().min(2).max(120).optional(),
  /** What share of the zone must change. */
  threshold: Share.optional(),
  /** Smallest and largest object, as a share of the picture. */
  smallest: Share.optional(),
  largest: Share.optional(),
  /** How long before it counts. */
  'at-least': Duration.optional(),
  /** How long without before it ends. */
  quiet: Duration.optional(),
  /** How long before the same zone may begin again. */
  pause: Duration.optional(),
});
export type Watching = z.infer<typeof Watching>;

/** Settings that cameras share; a camera's own wins. */
export const Group = z.strictObject({ was: Was, title: Line.optional(), watching: Watching.default({}), note: Line.optional() });
export type Group = z.infer<typeof Group>;

/** A source of pictures. */
export const Camera = z.strictObject({
  was: Was,
  title: Line,
  group: Key.optional(),
  feeds: z.strictObject({ main: Feed, small: Feed.optional() }),
  marks: z.record(Key, Mark).default({}),
  watching: Watching.default({}),
  note: Line.optional(),
});
export type Camera = z.infer<typeof Camera>;
