import { type CameraState, type EventData, type EventKind, type OwnReport, plainLine } from '@causalis/contract';
import type { Entry, EventIn } from '@causalis/core';
import type { Clock } from '../clock.js';
import { newId } from '../ids.js';
import type { EntryExtras, MediaRow } from '../ledger/stepped.js';
import type { Evidence } from '../media/evidence.js';
import { Refusal } from '../problem.js';
import type { ReportedMotion, ReportedNotice, ReportedObject, ReportedView, SentPicture } from './watcher/messages.js';

export interface CameraIntakeParts {
  readonly clock: Clock;
  readonly evidence: Evidence;
  readonly accept: (entry: Entry, extras: EntryExtras) => Promise<unknown>;
  readonly trouble: (error: unknown, what: string) => void;
}

/** While the ledger is away this many events of cameras wait; the oldest go first. */
const mostWaiting = 1_000;
const againMs = 500;

const objectKinds = {
  appeared: 'object.appeared',
  entered: 'object.entered',
  left: 'object.left',
  lingered: 'object.lingered',
  crossed: 'line.crossed',
} as const;

/** What begins and what ends when a camera reports something by itself. */
const ownKinds: Readonly<Record<OwnReport, readonly [EventKind, EventKind]>> = {
  motion: ['motion.began', 'motion.ended'],
  inside: ['object.entered', 'object.left'],
  crossed: ['line.crossed', 'line.crossed'],
  covered: ['view.covered', 'view.cleared'],
  moved: ['view.moved', 'view.cleared'],
  blurred: ['view.blurred', 'view.cleared'],
  blinded: ['view.blinded', 'view.cleared'],
};

/** Turns what watchers report into events, in the order in which they were reported. */
export class CameraIntake {
  private readonly parts: CameraIntakeParts;
  private readonly spans = new Map<string, string>();
  private readonly views = new Map<string, { readonly span: string; readonly since: number }>();
  /** Cameras that give no pictures, or always the same. */
  private readonly away = new Map<string, 'lost' | 'frozen'>();
  private readonly owns = new Map<string, { readonly span: string; readonly since: number }>();
  private waiting: (() => Promise<void>)[] = [];
  private running = false;
  private stopped = false;

  constructor(parts: CameraIntakeParts) {
    this.parts = parts;
  }

  motion(motion: ReportedMotion): void {
    const place = `${motion.camera} ${motion.zone}`;
    const span = motion.change === 'began' ? newId() : (this.spans.get(place) ?? newId());
    if (motion.change === 'began') this.spans.set(place, span);
    else this.spans.delete(place);
    const began = motion.change === 'began';
    const event: EventIn = {
      id: newId(),
      kind: began ? 'motion.began' : 'motion.ended',
      section: 'cameras',
      source: motion.camera,
      mark: motion.zone,
      span,
      time: began ? motion.first : motion.last,
      seen: motion.seen,
      data: {
        level: motion.level,
        threshold: motion.threshold,
        ...(motion.box ? { box: motion.box } : {}),
        ...(began ? { zone: [...motion.corners] } : { lastedMs: motion.last - motion.first }),
      },
      depth: 0,
      test: false,
    };
    this.line(() => this.withPictures(event, motion.picture));
  }

  /** What a thing that is followed has done; all of one thing is one span. */
  object(object: ReportedObject): void {
    const { label, sure, direction, box, lastedMs } = object;
    this.line(() =>
      this.withPictures(
        {
          id: newId(),
          kind: objectKinds[object.change],
          section: 'cameras',
          source: object.camera,
          ...(object.mark ? { mark: object.mark } : {}),
          span: object.track,
          time: object.at,
          seen: object.seen,
          data: {
            box,
            ...(label ? { label } : {}),
            ...(sure === undefined ? {} : { sure }),
            ...(direction ? { direction } : {}),
            ...(lastedMs === undefined ? {} : { lastedMs: Math.max(0, lastedMs) }),
          },
          depth: 0,
          test: false,
        },
        object.picture,
      ),
    );
  }

  /** Somebody interferes with a camera, or its view is well again: with a picture of before and after. */
  view({ camera, trouble, since, seen, before, after }: ReportedView): void {
    const span = this.views.get(camera)?.span ?? newId();
    const lastedMs = trouble ? undefined : seen - (this.views.get(camera)?.since ?? seen);
    if (trouble) this.views.set(camera, { span, since });
    else this.views.delete(camera);
    this.line(() =>
      this.withPictures(
        {
          id: newId(),
          kind: trouble ? `view.${trouble}` : 'view.cleared',
          section: 'cameras',
          source: camera,
          span,
          time: since,
          seen,
          data: lastedMs === undefined ? {} : { lastedMs },
          depth: 0,
          test: false,
        },
        after,
        before,
      ),
    );
  }

  /** What a camera has found by itself: what began and what ended of it are one span. */
  own({ camera, what, source, rule, state, at, seen }: ReportedNotice & { readonly what: OwnReport }): void {
    const going = `${camera} ${what} ${source} ${rule ?? ''}`;
    const known = this.owns.get(going);
    const begins = state !== false;
    const span = known?.span ?? newId();
    if (state === true) this.owns.set(going, { span, since: at });
    else this.owns.delete(going);
    const picture = begins ? this.parts.evidence.pictureAt(camera, at) : Promise.resolve(undefined);
    const event: EventIn = {
      id: newId(),
      kind: ownKinds[what][begins ? 0 : 1],
      section: 'cameras',
      source: camera,
      span,
      time: at,
      seen,
      data: { own: plainLine(rule ?? what, 100), ...(begins ? {} : { lastedMs: Math.max(0, at - (known?.since ?? at)) }) },
      depth: 0,
      test: false,
    };
    this.line(async () => this.withPictures(event, await picture));
  }

  /** What a camera has sent by itself. Resolves when it is kept. */
  async reported(camera: string, data: EventData, pictures: readonly { jpeg: Buffer; at: number }[]): Promise<void> {
    const wall = this.parts.clock.wall();
    const rows = await Promise.all(
      pictures.map(({ jpeg, at }) => (this.parts.evidence.hasRoom ? this.write(camera, jpeg, at) : undefined)),
    );
    const [still, ...more] = rows.filter((row) => row !== undefined);
    const event: EventIn = {
      id: newId(),
      kind: 'camera.reported',
      section: 'cameras',
      source: camera,
      time: wall,
      seen: wall,
      data,
      depth: 0,
      test: false,
      ...(still ? { still: still.id } : {}),
    };
    const media = [still, ...more].flatMap((row) => (row ? [{ ...row, event: event.id }] : []));
    await this.parts.accept({ kind: 'event', event }, media.length > 0 ? { media } : {});
  }

  /** A camera that was lost or came back is an event; how it connects at first is none. */
  state(camera: string, state: CameraState): void {
    const { state: name } = state;
    if (name === 'late' || (this.away.get(camera) ?? 'live') === name) return;
    if (name === 'live') this.away.delete(camera);
    else this.away.set(camera, name);
    const now = this.parts.clock.wall();
    const time = Date.parse(state.since);
    const reason = state.reason ? `${state.reason.code}${state.reason.detail ? `: ${state.reason.detail}` : ''}` : undefined;
    const event: EventIn = {
      id: newId(),
      kind: name === 'live' ? 'camera.restored' : `camera.${name}`,
      section: 'cameras',
      source: camera,
      time,
      seen: now,
      data: name === 'lost' && reason ? { reason: plainLine(reason, 300) } : {},
      depth: 0,
      test: false,
    };
    this.line(() => this.keep(event, []));
  }

  stop(): void {
    this.stopped = true;
  }

  /** Evidence first: the picture is on disk before the commit that names it. Without room the event comes without it. */
  private async write(camera: string, jpeg: Buffer, at: number, event?: string): Promise<MediaRow | undefined> {
    try {
      return await this.parts.evidence.write(camera, jpeg, at, event);
    } catch (error) {
      this.parts.trouble(error, 'keeping a picture');
      return undefined;
    }
  }

  private async withPictures(event: EventIn, still: SentPicture | undefined, before?: SentPicture): Promise<void> {
    const write = async (picture: SentPicture | undefined) =>
      picture && this.parts.evidence.hasRoom ? await this.write(event.source, Buffer.from(picture.jpeg), picture.at, event.id) : undefined;
    const [own, earlier] = [await write(still), await write(before)];
    const data = earlier ? { ...event.data, before: earlier.id } : event.data;
    const rows = [own, earlier].filter((row) => row !== undefined);
    await this.keep({ ...event, data, ...(own ? { still: own.id } : {}) }, rows);
  }

  private line(job: () => Promise<void>): void {
    this.waiting.push(job);
    if (this.waiting.length > mostWaiting) this.waiting.shift();
    if (!this.running) void this.run();
  }

  private async run(): Promise<void> {
    this.running = true;
    for (let job = this.waiting.shift(); job; job = this.waiting.shift())
      await job().catch((error: unknown) => this.parts.trouble(error, 'camera event'));
    this.running = false;
  }

  /** Nobody else keeps what a camera saw, so it waits here until the ledger has it. */
  private async keep(event: EventIn, media: readonly MediaRow[]): Promise<void> {
    while (!this.stopped) {
      try {
        await this.parts.accept({ kind: 'event', event }, media.length > 0 ? { media } : {});
        return;
      } catch (error) {
        if (!(error instanceof Refusal) || error.code !== 'ledger-away') throw error;
        await new Promise<void>((resolve) => {
          this.parts.clock.at(this.parts.clock.steady() + againMs, resolve);
        });
      }
    }
  }
}
