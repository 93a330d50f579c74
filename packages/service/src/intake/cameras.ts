import { type CameraState, plainLine } from '@causalis/contract';
import type { Entry, EventIn } from '@causalis/core';
import type { Clock } from '../clock.js';
import { newId } from '../ids.js';
import type { EntryExtras, MediaRow } from '../ledger/stepped.js';
import type { Evidence } from '../media/evidence.js';
import { Refusal } from '../problem.js';
import type { ReportedMotion } from './watcher/messages.js';

export interface CameraIntakeParts {
  readonly clock: Clock;
  readonly evidence: Evidence;
  readonly accept: (entry: Entry, extras: EntryExtras) => Promise<unknown>;
  readonly trouble: (error: unknown, what: string) => void;
}

/** While the ledger is away this many events of cameras wait; the oldest go first. */
const mostWaiting = 1_000;
const againMs = 500;

/** Turns what watchers report into events, in the order in which they were reported. */
export class CameraIntake {
  private readonly parts: CameraIntakeParts;
  private readonly spans = new Map<string, string>();
  private readonly lost = new Set<string>();
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
    const picture = motion.picture;
    this.line(async () => {
      const still = picture && this.parts.evidence.hasRoom ? await this.write(event, Buffer.from(picture.jpeg), picture.at) : undefined;
      await this.keep({ ...event, ...(still ? { still: still.id } : {}) }, still);
    });
  }

  /** A camera that was lost or came back is an event; how it connects at first is none. */
  state(camera: string, state: CameraState): void {
    const isLost = state.state === 'lost';
    if (isLost === this.lost.has(camera) || (!isLost && state.state !== 'live')) return;
    if (isLost) this.lost.add(camera);
    else this.lost.delete(camera);
    const now = this.parts.clock.wall();
    const time = Date.parse(state.since);
    const reason = state.reason ? `${state.reason.code}${state.reason.detail ? `: ${state.reason.detail}` : ''}` : undefined;
    const event: EventIn = {
      id: newId(),
      kind: isLost ? 'camera.lost' : 'camera.restored',
      section: 'cameras',
      source: camera,
      time,
      seen: now,
      data: isLost && reason ? { reason: plainLine(reason, 300) } : {},
      depth: 0,
      test: false,
    };
    this.line(() => this.keep(event, undefined));
  }

  stop(): void {
    this.stopped = true;
  }

  /** Evidence first: the picture is on disk before the commit that names it. Without room the event comes without it. */
  private async write(event: EventIn, jpeg: Buffer, at: number): Promise<MediaRow | undefined> {
    try {
      return await this.parts.evidence.write(event.source, jpeg, at, event.id);
    } catch (error) {
      this.parts.trouble(error, 'keeping a picture');
      return undefined;
    }
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
  private async keep(event: EventIn, still: MediaRow | undefined): Promise<void> {
    while (!this.stopped) {
      try {
        await this.parts.accept({ kind: 'event', event }, still ? { media: [still] } : {});
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
