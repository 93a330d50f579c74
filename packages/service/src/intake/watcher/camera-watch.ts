import type { CameraState } from '@causalis/contract';
import { type MotionLook, motionDetector, type OpsFor } from '@causalis/core';
import { FeedFailure, type OpenFeed } from '../feeds/contract.js';
import { openMultipart } from '../feeds/multipart.js';
import { decodeGrey, encodeAfresh } from './jpeg.js';
import type { FromWatcher, WatchedCamera, WatchedFeed } from './messages.js';
import { PictureRing } from './ring.js';

/** Feed kinds by name: a new kind is one file and one line here. */
const feeds: Record<'multipart', OpenFeed> = { multipart: openMultipart };

/** No picture for this long: late, then lost. */
const lateMs = 3_000;
const lostMs = 10_000;
/** Pauses between tries to connect. */
const firstPauseMs = 1_000;
const longestPauseMs = 15_000;
/** A picture further away from a moment than this does not show it. */
const pictureWithinMs = 3_000;

export interface CameraWatchParts {
  readonly wall: () => number;
  readonly send: (message: FromWatcher) => void;
  readonly viewed: () => boolean;
  /** The detection's steps with vectors. */
  readonly steps: OpsFor;
}

/** Watches one camera: keeps its feeds connected, decodes, detects, reports. */
export class CameraWatch {
  private readonly camera: WatchedCamera;
  private readonly parts: CameraWatchParts;
  private readonly end = new AbortController();
  private readonly detector;
  private readonly main = new PictureRing();
  private readonly small = new PictureRing(3_000);
  private state: CameraState;
  private lastPicture: number;
  private arrivals: number[] = [];
  private readonly looking: NodeJS.Timeout;

  constructor(camera: WatchedCamera, parts: CameraWatchParts) {
    this.camera = camera;
    this.parts = parts;
    this.detector = motionDetector(camera.motion, parts.steps);
    this.lastPicture = parts.wall();
    this.state = { state: 'late', since: new Date(parts.wall()).toISOString(), reason: { code: 'connecting' } };
    this.looking = setInterval(() => this.lookAtClock(), 500);
    const watched = camera.small ?? camera.main;
    void this.follow(watched, (jpeg, at) => this.see(jpeg, at), true);
    if (camera.small) void this.follow(camera.main, (jpeg, at) => this.main.push({ jpeg, at }), false);
    parts.send({ kind: 'state', camera: camera.key, state: this.state });
  }

  stop(): void {
    clearInterval(this.looking);
    this.end.abort();
  }

  /** The main picture nearest to a wall time, encoded afresh. */
  pictureAt(wall: number): { jpeg: Buffer; at: number } | undefined {
    const kept = this.main.nearest(wall, pictureWithinMs) ?? this.small.nearest(wall, pictureWithinMs);
    const jpeg = kept && encodeAfresh(kept.jpeg, 88);
    return kept && jpeg ? { jpeg, at: kept.at } : undefined;
  }

  /** Connects to a feed and again whenever it ends, with growing pauses. */
  private async follow(feed: WatchedFeed, take: (jpeg: Buffer, at: number) => void, watched: boolean): Promise<void> {
    let pause = firstPauseMs;
    while (!this.end.signal.aborted) {
      try {
        if ('missing' in feed) throw new FeedFailure(feed.missing);
        for await (const jpeg of feeds[feed.kind](feed, this.end.signal)) {
          pause = firstPauseMs;
          take(jpeg, this.parts.wall());
        }
      } catch (error) {
        const failure = error instanceof FeedFailure ? error : new FeedFailure('connection-broken', (error as Error).message);
        if (watched) this.explain(failure);
      }
      await new Promise((resolve) => setTimeout(resolve, pause));
      pause = Math.min(pause * 2, longestPauseMs);
    }
  }

  /** One watched picture: decode → detect → report. */
  private see(jpeg: Buffer, at: number): void {
    const grey = decodeGrey(jpeg);
    if ('wrong' in grey) {
      this.change({
        ...this.state,
        broken: { count: (this.state.broken?.count ?? 0) + 1, last: grey.wrong, at: new Date(at).toISOString() },
      });
      return;
    }
    if (!this.camera.small) this.main.push({ jpeg, at });
    else this.small.push({ jpeg, at });
    this.lastPicture = at;
    this.arrivals = [...this.arrivals.filter((time) => at - time < 5_000), at];
    const look = this.detector.see({ ...grey, timeMs: at });
    this.alive(grey, look.settling);
    for (const change of look.changes) this.report(change, at);
    if (this.parts.viewed()) this.show(look, jpeg, at);
  }

  private report(change: MotionLook['changes'][number], at: number): void {
    const { motion, key } = this.camera;
    const zone = motion.zones.find(({ name }) => name === change.zone);
    const picture = change.change === 'began' ? this.pictureAt(at) : undefined;
    this.parts.send({
      kind: 'motion',
      camera: key,
      change: change.change,
      zone: change.zone,
      corners: zone && !('cells' in zone.area) ? zone.area : [],
      first: change.firstMs,
      last: change.lastMs,
      seen: at,
      level: change.level,
      threshold: change.threshold,
      ...(change.box ? { box: change.box } : {}),
      ...(picture ? { picture } : {}),
    });
  }

  private show(look: MotionLook, jpeg: Buffer, at: number): void {
    const fresh = encodeAfresh(jpeg, 80);
    this.parts.send({
      kind: 'look',
      camera: this.camera.key,
      frame: {
        camera: this.camera.key,
        time: new Date(at).toISOString(),
        state: { ...this.state, settling: look.settling },
        zones: look.zones.map((zone) => ({ ...zone, threshold: look.threshold })),
        blobs: [...look.blobs],
        bytes: fresh?.length ?? 0,
      },
      ...(fresh ? { jpeg: fresh } : {}),
    });
  }

  private alive({ width, height }: { width: number; height: number }, settling: boolean): void {
    const rate = Math.round((this.arrivals.length - 1) / 0.5) / 10;
    const since = this.state.state === 'live' ? this.state.since : new Date(this.lastPicture).toISOString();
    const { broken } = this.state;
    const next: CameraState = { state: 'live', since, width, height, rate, settling, ...(broken ? { broken } : {}) };
    const before = this.state;
    const told =
      before.state !== 'live' || before.settling !== settling || before.width !== width || Math.abs((before.rate ?? 0) - rate) >= 1;
    if (told) this.change(next);
    else this.state = next;
  }

  private explain({ code, detail }: FeedFailure): void {
    if (this.state.state !== 'live') this.change({ ...this.state, reason: { code, ...(detail ? { detail } : {}) } });
    else this.state = { ...this.state, reason: { code, ...(detail ? { detail } : {}) } };
  }

  private lookAtClock(): void {
    const silent = this.parts.wall() - this.lastPicture;
    const name = silent >= lostMs ? 'lost' : silent >= lateMs ? 'late' : this.state.state;
    if (name === this.state.state || this.state.state === 'lost') return;
    const { broken, reason, width, height } = this.state;
    this.change({
      state: name,
      since: new Date(this.parts.wall()).toISOString(),
      reason: reason ?? { code: 'no-pictures' },
      ...(width ? { width, height } : {}),
      ...(broken ? { broken } : {}),
    });
  }

  private change(state: CameraState): void {
    this.state = state;
    this.parts.send({ kind: 'state', camera: this.camera.key, state });
  }
}
