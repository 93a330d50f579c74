import { z } from 'zod';
import { refuse } from '../finding.js';
import { address, Line, SecretRef } from '../key.js';
import { Duration } from '../units.js';

/** A certificate that nobody has signed is known by its SHA-256, once somebody has said that it is the right one. */
const certificate = z
  .string()
  .superRefine(refuse('bad-fingerprint', (text) => /^([0-9A-F]{2}:){31}[0-9A-F]{2}$/.test(text)))
  .optional();
const signIn = { user: Line.optional(), password: SecretRef.optional() };
/** At most one picture in this time is looked at: the others are passed over. */
const every = Duration.optional();

/** How pictures arrive; a new kind is one line here, and its file in the service. */
export const Feed = z.discriminatedUnion('kind', [
  /** JPEG after JPEG in one answer (`multipart/x-mixed-replace`). */
  z.strictObject({ kind: z.literal('multipart'), url: address('http', 'https'), ...signIn, certificate, every }),
  /** An address that answers with one JPEG, asked again and again. */
  z.strictObject({ kind: z.literal('still'), url: address('http', 'https'), ...signIn, certificate, every }),
  /** RTSP (RFC 2326) over TCP: H.264, H.265 or MJPEG. */
  z.strictObject({ kind: z.literal('rtsp'), url: address('rtsp', 'rtsps'), ...signIn, every }),
  /** The device service of an ONVIF camera or recorder; the first profile unless one is named by its token. */
  z.strictObject({
    kind: z.literal('onvif'),
    url: address('http', 'https'),
    ...signIn,
    certificate,
    profile: Line.optional(),
    /** What the device calls itself, so that it is known again at another address. */
    device: Line.optional(),
    every,
  }),
  /** A camera that is plugged into this machine (V4L2). */
  z.strictObject({
    kind: z.literal('device'),
    path: z.string().superRefine(refuse('bad-device', (text) => /^\/dev\/video\d{1,3}$/.test(text))),
    every,
  }),
  /** A recorded file in the folder `recordings` of the data folder, shown over and over, for trying out. */
  z.strictObject({
    kind: z.literal('file'),
    file: z.string().superRefine(refuse('bad-file-name', (text) => /^[\w][\w. -]{0,120}$/.test(text) && !text.includes('..'))),
    every,
  }),
  /** It sends its pictures itself, over an account; without one for so long as `expect` says it is lost. */
  z.strictObject({ kind: z.literal('pushed'), expect: Duration.optional() }),
]);
export type Feed = z.infer<typeof Feed>;
export type FeedKind = Feed['kind'];
export const feedKinds = Feed.options.map((option) => option.shape.kind.value) as FeedKind[];

/** Where a feed comes from, in short: host and port, or what stands on this machine. */
export const feedHost = (feed: Feed): string => {
  if ('url' in feed) return new URL(feed.url).host;
  return feed.kind === 'device' ? feed.path : feed.kind === 'file' ? feed.file : 'this service';
};

/** How long at least from one picture that is looked at to the next, where a feed does not say. */
export const usualEvery: Readonly<Record<FeedKind, string>> = {
  multipart: '100ms',
  still: '1s',
  rtsp: '200ms',
  onvif: '200ms',
  device: '200ms',
  file: '200ms',
  pushed: '100ms',
};
