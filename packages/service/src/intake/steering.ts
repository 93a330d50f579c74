import { setTimeout as wait } from 'node:timers/promises';
import { durationMs, type HeadCommand, type HeadReport, type SiteDocument } from '@causalis/contract';
import type { ReadyFeedOf } from './feeds/contract.js';
import { FeedFailure } from './feeds/contract.js';
import { headStands, tellHead } from './heads.js';

type OnvifFeed = ReadyFeedOf<'onvif'>;

export interface SteeringParts {
  readonly document: () => SiteDocument;
  readonly deviceOf: (camera: string) => Promise<OnvifFeed | undefined>;
  /** What a camera sees while its head moves is no motion. */
  readonly moves: (camera: string, moving: boolean) => void;
}

/** Everything that turns heads, by hand or by rule: one order after the other, tours among them. */
export class Steering {
  private readonly parts: SteeringParts;
  /** Orders to each head so far: what an older one began, it may not end any more. */
  private readonly orders = new Map<string, number>();
  private readonly tours = new Map<string, AbortController>();

  constructor(parts: SteeringParts) {
    this.parts = parts;
  }

  /** Turns a head. `go` may name a tour of the document, which then goes on until the next order. Failures are `FeedFailure`. */
  async steer(camera: string, command: HeadCommand): Promise<HeadReport> {
    const feed = await this.parts.deviceOf(camera);
    if (!feed) throw new FeedFailure('no-camera');
    if ('save' in command) return await tellHead(feed, command);
    this.endTour(camera);
    const tour = 'go' in command ? this.parts.document().cameras[camera]?.tours?.[command.go] : undefined;
    if (!tour) return (await this.order(camera, feed, command)).report;
    const end = new AbortController();
    this.tours.set(camera, end);
    const { report, stands } = await this.order(camera, feed, { go: tour.presets[0] });
    void this.goRound(camera, feed, tour.presets, durationMs(tour.stay), stands, end.signal);
    return report;
  }

  /** Heads stay where they are. */
  stop(): void {
    for (const end of this.tours.values()) end.abort();
  }

  private endTour(camera: string): void {
    this.tours.get(camera)?.abort();
    this.tours.delete(camera);
  }

  /** What the head said, and when it stands. */
  private async order(camera: string, feed: OnvifFeed, command: HeadCommand): Promise<{ report: HeadReport; stands: Promise<void> }> {
    const order = (this.orders.get(camera) ?? 0) + 1;
    this.orders.set(camera, order);
    this.parts.moves(camera, true);
    const standing = () =>
      headStands(feed).then(() => {
        // Only the last order's standing counts: the head may be on its way elsewhere.
        if (this.orders.get(camera) === order) this.parts.moves(camera, false);
      });
    try {
      return { report: await tellHead(feed, command), stands: standing() };
    } catch (error) {
      void standing();
      throw error;
    }
  }

  /** From place to place; it stays at each from when it stands there. */
  private async goRound(
    camera: string,
    feed: OnvifFeed,
    presets: readonly string[],
    stayMs: number,
    first: Promise<void>,
    signal: AbortSignal,
  ): Promise<void> {
    let stands = first;
    for (let i = 1; ; i++) {
      await stands;
      await wait(stayMs, undefined, { signal }).catch(() => undefined);
      if (signal.aborted) return;
      // A camera that is away for a while goes on with its tour when it is back.
      stands = this.order(camera, feed, { go: presets[i % presets.length] }).then(
        (ordered) => ordered.stands,
        (_: FeedFailure) => undefined,
      );
    }
  }
}
