import { z } from 'zod';
import { refuse } from '../finding.js';
import { Line } from '../key.js';
import { Duration, oneOrMany, Position, parseTimeOfDay } from '../units.js';

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

/** Smaller than this share of the picture an area has nothing in it; shorter than this nobody can cross a line. */
const leastArea = 0.0001;
const leastLine = 0.005;

/** What an outline encloses, as a share of the picture (shoelace formula). */
const enclosedBy = (corners: readonly (readonly [number, number])[]): number =>
  Math.abs(
    corners.reduce((sum, [x, y], i) => {
      const [nextX, nextY] = corners[(i + 1) % corners.length];
      return sum + x * nextY - nextX * y;
    }, 0),
  ) / 2;

const lengthOf = (corners: readonly (readonly [number, number])[]): number =>
  corners.slice(1).reduce((sum, [x, y], i) => sum + Math.hypot(x - corners[i][0], y - corners[i][1]), 0);

/** Corners of an area; it may not cross itself, and has something in it. */
const Polygon = z
  .array(Position)
  .min(3)
  .max(64)
  .superRefine((corners, ctx) => {
    if (crossesItself(corners)) ctx.addIssue({ code: 'custom', params: { code: 'polygon-crosses', values: {} } });
    else if (enclosedBy(corners) < leastArea) ctx.addIssue({ code: 'custom', params: { code: 'polygon-flat', values: {} } });
  });

/** An area that was painted: rows from the top of the picture, all of one length, `#` where it is painted and `.` where not. */
const Painted = z.strictObject({
  cells: z
    .array(z.string().regex(/^[.#]+$/))
    .min(1)
    .max(72)
    .superRefine((rows, ctx) => {
      if (rows.some((row) => row.length !== rows[0].length || row.length > 128))
        ctx.addIssue({ code: 'custom', params: { code: 'uneven-cells', values: {} } });
    }),
});

/** An area of a picture: its corners, or what was painted. */
export const Area = z.union([Polygon, Painted]);
export type Area = z.infer<typeof Area>;

/** Counts what goes in and out over a line, or into and out of a zone. */
export const Counter = z.strictObject({
  /** Only things of these labels count; without, all that moves. */
  label: oneOrMany(Line, 20).optional(),
  /** Begins anew at this time of day. */
  reset: z
    .string()
    .superRefine(refuse('bad-time-of-day', (text) => parseTimeOfDay(text) !== undefined))
    .optional(),
  /** An event when a count reaches this; again only after it has fallen below. */
  thresholds: z
    .strictObject({
      in: z.number().int().min(1).optional(),
      out: z.number().int().min(1).optional(),
      inside: z.number().int().min(1).optional(),
    })
    .default({}),
});
export type Counter = z.infer<typeof Counter>;

/** The four things that can be drawn on a picture, and the words that go with each. */
const markWords = { zone: ['every-change', 'lingers', 'counter'], ignored: [], private: [], line: ['in', 'counter'] } as const;
export type MarkKind = keyof typeof markWords;
export const markKinds = Object.keys(markWords) as MarkKind[];

/** Something drawn on a picture. */
export const Mark = z
  .strictObject({
    /** An area that is watched by itself. */
    zone: Area.optional(),
    /** An area in which nothing counts. */
    ignored: Area.optional(),
    /** An area that is never kept and never shown. */
    private: Area.optional(),
    /** Corners of a line, from one end to the other. */
    line: z
      .array(Position)
      .min(2)
      .max(32)
      .superRefine((corners, ctx) => {
        if (corners.length > 1 && lengthOf(corners) < leastLine)
          ctx.addIssue({ code: 'custom', params: { code: 'line-short', values: {} } });
      })
      .optional(),
    /** Which side is "in", for somebody who walks the line from its first corner to its last. */
    in: z.enum(['left', 'right']).optional(),
    /** No filter holds in the zone: any change as large as the threshold counts. */
    'every-change': z.boolean().optional(),
    /** Who stays in the zone for this long lingers. */
    lingers: Duration.optional(),
    counter: Counter.optional(),
    note: Line.optional(),
  })
  .superRefine((mark, ctx) => {
    const said = markKinds.filter((kind) => mark[kind] !== undefined);
    if (said.length !== 1) {
      ctx.addIssue({ code: 'custom', params: { code: 'one-of-these', values: { expected: markKinds.join(', ') } } });
      return;
    }
    for (const word of ['in', 'every-change', 'lingers', 'counter'] as const)
      if (mark[word] !== undefined && !(markWords[said[0]] as readonly string[]).includes(word))
        ctx.addIssue({ code: 'custom', path: [word], params: { code: 'word-not-here', values: { word, action: said[0] } } });
  });
export type Mark = z.infer<typeof Mark>;

/** Which kind a mark is. */
export const kindOfMark = (mark: Mark): MarkKind => {
  const kind = markKinds.find((one) => mark[one] !== undefined);
  if (!kind) throw new RangeError('a mark of no kind');
  return kind;
};

/** The area of a mark that has one. */
export const areaOf = (mark: Mark): Area | undefined => mark.zone ?? mark.ignored ?? mark.private;
