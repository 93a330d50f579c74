import { z } from 'zod';
import { address, Key, Line, Was } from '../key.js';
import { Duration, oneOrMany, parseShare, Share } from '../units.js';
import { Feed } from './feed.js';
import { Mark } from './mark.js';

const values = {
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
};

function sizesInOrder({ smallest, largest }: { smallest?: string; largest?: string }, ctx: z.RefinementCtx): void {
  const [least, most] = [parseShare(smallest ?? ''), parseShare(largest ?? '')];
  if (least !== undefined && most !== undefined && least >= most)
    ctx.addIssue({
      code: 'custom',
      path: ['smallest'],
      params: { code: 'sizes-reversed', values: { value: smallest ?? '', most: largest ?? '' } },
    });
}

const Dark = z.strictObject(values).superRefine(sizesInOrder);

/** How a camera is watched: every value has a default that suits a camera at a drive. */
export const Watching = z
  .strictObject({
    ...values,
    /** What is different while the sun is 6° below the horizon, or the picture itself is dark. */
    dark: Dark.optional(),
  })
  .superRefine(sizesInOrder);
export type Watching = z.infer<typeof Watching>;
export type WatchingValue = keyof typeof values;
export const watchingValues = Object.keys(values) as WatchingValue[];

/** What a camera may find by itself: motion, something inside or crossing what is drawn in the camera, trouble with its view. */
export const ownReports = ['motion', 'inside', 'crossed', 'covered', 'moved', 'blurred', 'blinded'] as const;
export type OwnReport = (typeof ownReports)[number];

/** Settings that cameras share; a camera's own wins. */
export const Group = z.strictObject({
  was: Was,
  title: Line.optional(),
  recogniser: Key.optional(),
  watching: Watching.default({}),
  note: Line.optional(),
});
export type Group = z.infer<typeof Group>;

/** Places that a head goes through, over and over, and how long it stays at each. */
export const Tour = z.strictObject({ presets: z.array(Line).min(2).max(32), stay: Duration.default('20s') });

/** A source of pictures. */
export const Camera = z.strictObject({
  was: Was,
  title: Line,
  group: Key.optional(),
  /** Who names what is on its pictures. */
  recogniser: Key.optional(),
  feeds: z.strictObject({ main: Feed, small: Feed.optional() }),
  /** Which of what an ONVIF camera finds by itself is taken as events, beside what is found here. */
  reports: oneOrMany(z.enum(ownReports), ownReports.length, 0).optional(),
  /** Tours of its head, by name: a look may go to one like to a preset. */
  tours: z.record(Key, Tour).optional(),
  marks: z.record(Key, Mark).default({}),
  watching: Watching.default({}),
  note: Line.optional(),
});
export type Camera = z.infer<typeof Camera>;

type DeviceFeed = Extract<Feed, { kind: 'onvif' }>;
/** The feeds over which a camera is an ONVIF device, which can do more than send pictures; the main one first. */
export const deviceFeeds = ({ feeds }: Pick<Camera, 'feeds'>): DeviceFeed[] =>
  [feeds.main, feeds.small].filter((feed): feed is DeviceFeed => feed?.kind === 'onvif');

/** A service that is given a picture and answers with boxes, labels and confidence. */
export const Recogniser = z.strictObject({
  was: Was,
  url: address('http', 'https'),
  /** How long at least from one picture of a camera to the next. */
  every: Duration.default('500ms'),
  /** Asked always, or only while something moves. */
  when: z.enum(['motion', 'always']).default('motion'),
  /** Least confidence by label; what it says of other labels needs 0.5. */
  sure: z.record(Line, z.number().min(0).max(1)).default({}),
  /** Only these labels are wanted; without, all. */
  labels: z.array(Line).min(1).max(100).optional(),
  /** It is asked about so many pictures at a time. */
  most: z.number().int().min(1).max(16).default(2),
  note: Line.optional(),
});
export type Recogniser = z.infer<typeof Recogniser>;
