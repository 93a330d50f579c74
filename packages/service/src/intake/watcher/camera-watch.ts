import { type CameraState, durationMs } from '@causalis/contract';
import { type MotionDetector, type MotionLook, motionDetector, type OpsFor, type RememberedFrame, ViewWatch } from '@causalis/core';
import type { Clock } from '../../clock.js';
import { FeedFailure, type ReadyFeed } from '../feeds/contract.js';
import { openFeed } from '../feeds/registry.js';
import { followDevice } from './device-events.js';
import { decodeGrey, encodeAfresh } from './jpeg.js';
import type { FromWatcher, SentPicture, WatchedCamera, WatchedFeed } from './messages.js';
import { CameraObjects } from './objects.js';
import type { RecogniserLine } from './recogniser.js';
import { PictureRing } from './ring.js';

/** No picture for this long: late, then lost. */
const lateMs = 3_000;
const lostMs = 10_000;
/** The same picture, byte for byte, for this long: frozen. A sensor's noise alone makes each picture another. */
const frozenMs = 10_000;
/** The wall clock was set, or has drifted, when it is this far from where it was beside the steady one; less is rounding. */
const driftMs = 2;
/** Pauses between tries to connect. */
const firstPauseMs = 1_000;
const longestPauseMs = 15_000;
/** A picture further away from a moment than this does not show it. */
const pictureWithinMs = 3_000;
/** The picture from before something happened to the view is this much older than it. */
const beforeMs = 1_500;
/** What is smaller than this share of the picture is not remembered. */
const leastRemembered = 0.0002;
/** What moved is handed over so often. */
const handOverMs = 2_000;

export interface CameraWatchParts {
  /** Steady time is what all goes by in here; wall time is what is told, and asked for. */
  readonly clock: Pick<Clock, 'wall' | 'steady'>;
  readonly send: (message: FromWatcher) => void;
  readonly viewed: () => boolean;
  /** The sun at the site is down. */
  readonly dark: () => boolean;
  /** The detection's steps with vectors. */
  readonly steps: OpsFor;
  /** The line to a recogniser, shared by all cameras of the process. */
  readonly line: (recogniser: string) => RecogniserLine;
}

/** What is made of a picture while the head moves. */
const nothingSeen: MotionLook = {
  settling: true,
  dark: false,
  difference: 0,
  threshold: 0,
  zones: [],
  blobs: [],
  changes: [],
  removed: {},
};

/** How long at least from picture to picture that is looked at: the feed's own word, where it says one. */
const patience = (feed: WatchedFeed): number => {
  if ('missing' in feed) return firstPauseMs;
  // A camera that sends by itself may be silent for ever, unless it is said otherwise.
  if (feed.kind === 'pushed') return feed.expect ? durationMs(feed.expect) : Number.POSITIVE_INFINITY;
  return feed.everyMs;
};

/** Watches one camera: keeps its feeds connected, decodes, detects, reports. */
export class CameraWatch {
  private readonly camera: WatchedCamera;
  private readonly parts: CameraWatchParts;
  private readonly end = new AbortController();
  private readonly detector: MotionDetector;
  private readonly view = new ViewWatch();
  private readonly objects: CameraObjects;
  private ahead = Number.NEGATIVE_INFINITY;
  private movedAt = 0;
  private moving = false;
  private frames: RememberedFrame[] = [];
  private readonly main: PictureRing;
  private readonly small = new PictureRing(6_000);
  private state: CameraState;
  private lastPicture: number;
  private lastBytes: Buffer | undefined;
  private sameSince: number | undefined;
  private arrivals: number[] = [];
  private toldRate = 0;
  private readonly looking: NodeJS.Timeout;

  constructor(camera: WatchedCamera, parts: CameraWatchParts) {
    this.camera = camera;
    this.parts = parts;
    this.detector = motionDetector(camera.motion, parts.steps);
    this.objects = new CameraObjects(camera, {
      ...parts,
      wallOf: (at) => this.wallOf(at),
      picture: (at) => this.picture(at),
      recogniserChanged: () => this.change({ ...this.state, recogniser: this.objects.recogniser }),
      ended: this.end.signal,
    });
    const slow = Math.max(patience(camera.main), patience(camera.small ?? camera.main));
    this.main = new PictureRing(Math.max(10_000, slow * 4));
    this.lastPicture = parts.clock.steady();
    this.state = {
      state: 'late',
      since: new Date(parts.clock.wall()).toISOString(),
      reason: { code: this.sendsItself ? 'awaiting' : 'connecting' },
    };
    this.looking = setInterval(() => this.lookAtClock(), 500);
    const watched = camera.small ?? camera.main;
    void this.follow(watched, (jpeg, at) => this.see(jpeg, at), true);
    if (camera.small) void this.follow(camera.main, (jpeg, at) => this.main.push({ jpeg, at }), false);
    parts.send({ kind: 'state', camera: camera.key, state: this.state });
    this.listenToDevice();
  }

  /** An ONVIF device says more than pictures. */
  private listenToDevice(): void {
    const { key, main, small } = this.camera;
    const feed = [main, small].find((one) => one && 'kind' in one && one.kind === 'onvif');
    if (!feed || !('kind' in feed) || feed.kind !== 'onvif') return;
    const { send, clock } = this.parts;
    void followDevice(
      feed,
      this.end.signal,
      ({ initial: _, agoMs, ...notice }) => send({ kind: 'notice', camera: key, ...notice, at: clock.wall() - agoMs, seen: clock.wall() }),
      (offers) => send({ kind: 'offers', camera: key, offers }),
    );
  }

  stop(): void {
    clearInterval(this.looking);
    this.end.abort();
    this.detector.end();
  }

  /** While its head moves nothing is motion; when it stands, what it sees now is learned anew. */
  headMoves(moving: boolean): void {
    this.moving = moving;
    const at = this.parts.clock.steady();
    for (const change of this.detector.unsettle(at)) this.report(change, at);
    this.view.reset();
    this.objects.headMoves(this.detector.gone, at);
    const { view: _, moving: __, ...rest } = this.state;
    this.change(moving ? { ...rest, moving } : rest);
  }

  /** How far the wall clock is ahead of the steady one: the same for all times of one report, to the millisecond. */
  private aheadMs(): number {
    const { clock } = this.parts;
    const now = clock.wall() - clock.steady();
    if (Math.abs(now - this.ahead) > driftMs) this.ahead = now;
    return this.ahead;
  }

  /** What the wall clock shows, or would have shown as it goes now, at a steady time: however it was set meanwhile. */
  private wallOf(at: number): number {
    return at + this.aheadMs();
  }

  /** The main picture nearest to a wall time, encoded afresh; with its wall time. */
  pictureAt(wall: number): { jpeg: Buffer; at: number } | undefined {
    return this.picture(wall - this.aheadMs());
  }

  /** The main picture nearest to a steady time, encoded afresh; with its wall time. */
  private picture(at: number): { jpeg: Buffer; at: number } | undefined {
    const within = pictureWithinMs + patience(this.camera.main);
    const kept = this.main.nearest(at, within) ?? this.small.nearest(at, within);
    const jpeg = kept && encodeAfresh(kept.jpeg, 88, this.camera.hidden);
    return kept && jpeg ? { jpeg, at: this.wallOf(kept.at) } : undefined;
  }

  /** A picture that the camera has sent by itself, encoded afresh; nothing when it is none. */
  pushed(jpeg: Buffer): { jpeg: Buffer; at: number } | undefined {
    const fresh = encodeAfresh(jpeg, 88, this.camera.hidden);
    const at = this.parts.clock.steady();
    if (fresh && this.sendsItself) this.see(jpeg, at);
    return fresh && { jpeg: fresh, at: this.wallOf(at) };
  }

  /** It is not asked for pictures: they come when it likes. */
  private get sendsItself(): boolean {
    return 'kind' in this.camera.main && this.camera.main.kind === 'pushed';
  }

  /** Connects to a feed and again whenever it ends, with growing pauses. */
  private async follow(feed: WatchedFeed, take: (jpeg: Buffer, at: number) => void, watched: boolean): Promise<void> {
    let pause = firstPauseMs;
    while (!this.end.signal.aborted) {
      try {
        if ('missing' in feed) throw new FeedFailure(feed.missing);
        for await (const jpeg of this.paced(feed)) {
          pause = firstPauseMs;
          take(jpeg, this.parts.clock.steady());
        }
      } catch (error) {
        const failure = error instanceof FeedFailure ? error : new FeedFailure('connection-broken', (error as Error).message);
        if (watched) this.explain(failure);
      }
      await new Promise((resolve) => setTimeout(resolve, pause));
      pause = Math.min(pause * 2, longestPauseMs);
    }
  }

  /** A feed's pictures, those that come sooner than wanted left out. */
  private async *paced(feed: ReadyFeed): AsyncGenerator<Buffer> {
    let last = Number.NEGATIVE_INFINITY;
    for await (const jpeg of openFeed(feed, this.end.signal)) {
      const now = performance.now();
      // A picture that comes a tenth early is not left out: rates are never exact.
      if (now - last < feed.everyMs * 0.9) continue;
      last = now;
      yield jpeg;
    }
  }

  /** One watched picture: decode → detect → report. */
  private see(jpeg: Buffer, at: number): void {
    // One more may have been on its way; what was the detector's is another's now.
    if (this.end.signal.aborted) return;
    const grey = decodeGrey(jpeg, (width, height) => this.detector.roomFor(width, height));
    if ('wrong' in grey) {
      this.change({
        ...this.state,
        broken: { count: (this.state.broken?.count ?? 0) + 1, last: grey.wrong, at: new Date(this.wallOf(at)).toISOString() },
      });
      return;
    }
    if (!this.camera.small) this.main.push({ jpeg, at });
    else this.small.push({ jpeg, at });
    this.lastPicture = at;
    this.arrivals = [...this.arrivals.filter((time) => at - time < 5_000), at];
    const frozen = this.isFrozen(jpeg, at);
    // A head that moves shows what has nothing to do with what was: it is looked at, and not judged.
    const look = this.moving ? { ...nothingSeen, dark: this.parts.dark() } : this.detector.see({ ...grey, timeMs: at }, this.parts.dark());
    if (frozen) this.alive('frozen', grey, look, this.sameSince ?? at);
    else this.alive('live', grey, look, at);
    for (const change of look.changes) this.report(change, at);
    // Pictures hours apart are never alike.
    if (!this.moving && !this.sendsItself) this.lookAtView(at);
    this.remember(look, at);
    if (look.blobs.some(({ verdict }) => verdict === 'counted')) this.movedAt = at;
    if (this.camera.recogniser) this.objects.recognise(jpeg, at, this.movedAt);
    // What is gone has left, also when the background is being learned anew.
    else this.objects.follow(look.settling ? [] : this.detector.things, this.detector.gone, at);
    if (this.parts.viewed()) this.show(look, jpeg, at);
  }

  /** Hands over what moved, many pictures at a time. */
  private remember(look: MotionLook, at: number): void {
    const { kernel } = this.detector;
    if (look.blobs.length > 0 && kernel) {
      const { width, height } = kernel.memory;
      const blobs = look.blobs
        .filter(({ size }) => size >= leastRemembered)
        .map(({ box, size, nature, blocks }) => ({ box, size, nature, blocks }));
      if (blobs.length > 0) this.frames.push({ timeMs: at, cells: width * height, dark: look.dark, settling: look.settling, blobs });
    }
    const [first] = this.frames;
    if (!first || at - first.timeMs < handOverMs) return;
    const frames = this.frames.map((frame) => ({ ...frame, timeMs: this.wallOf(frame.timeMs) }));
    this.parts.send({ kind: 'frames', camera: this.camera.key, frames });
    this.frames = [];
  }

  private isFrozen(jpeg: Buffer, at: number): boolean {
    if (this.lastBytes?.equals(jpeg) && !this.sendsItself) this.sameSince ??= at;
    else this.sameSince = undefined;
    this.lastBytes = jpeg;
    return this.sameSince !== undefined && at - this.sameSince >= frozenMs;
  }

  private lookAtView(at: number): void {
    const { kernel } = this.detector;
    const found = kernel && this.view.see(kernel.memory, at);
    if (!found) return;
    const { trouble, sinceMs } = found;
    const since = this.wallOf(sinceMs);
    const { view: _, ...rest } = this.state;
    this.change(trouble ? { ...rest, view: { kind: trouble, since: new Date(since).toISOString() } } : rest);
    const [before, after] = [trouble && this.picture(sinceMs - beforeMs), this.picture(at)];
    this.parts.send({
      kind: 'view',
      camera: this.camera.key,
      trouble,
      since,
      seen: this.wallOf(at),
      ...(before ? { before } : {}),
      ...(after ? { after } : {}),
    });
  }

  private report(change: MotionLook['changes'][number], at: number): void {
    const { motion, key } = this.camera;
    const zone = motion.zones.find(({ name }) => name === change.zone);
    const picture: SentPicture | undefined = change.change === 'began' ? this.picture(at) : undefined;
    this.parts.send({
      kind: 'motion',
      camera: key,
      change: change.change,
      zone: change.zone,
      corners: zone && !('cells' in zone.area) ? zone.area : [],
      first: this.wallOf(change.firstMs),
      last: this.wallOf(change.lastMs),
      seen: this.wallOf(at),
      level: change.level,
      threshold: change.threshold,
      ...(change.box ? { box: change.box } : {}),
      ...(picture ? { picture } : {}),
    });
  }

  private show(look: MotionLook, jpeg: Buffer, at: number): void {
    const fresh = encodeAfresh(jpeg, 80, this.camera.hidden);
    this.parts.send({
      kind: 'look',
      camera: this.camera.key,
      frame: {
        camera: this.camera.key,
        time: new Date(this.wallOf(at)).toISOString(),
        state: { ...this.state, settling: look.settling },
        zones: look.zones.map((zone) => ({
          ...zone,
          threshold: look.threshold,
          difference: look.difference,
          differs: this.detector.differs(zone.zone, look.threshold),
        })),
        blobs: look.blobs.map(({ box, verdict, track, size }) => ({ box, verdict, track, size })),
        objects: [...this.objects.recognised],
        removed: { ...look.removed },
        bytes: fresh?.length ?? 0,
      },
      ...(fresh ? { jpeg: fresh } : {}),
    });
  }

  private alive(name: 'live' | 'frozen', { width, height }: { width: number; height: number }, look: MotionLook, from: number): void {
    const rate = Math.round((this.arrivals.length - 1) / 0.5) / 10;
    const before = this.state;
    const since = before.state === name ? before.since : new Date(this.wallOf(from)).toISOString();
    const { broken, view, moving } = before;
    const { recogniser } = this.objects;
    const next: CameraState = {
      state: name,
      since,
      width,
      height,
      rate,
      settling: look.settling,
      ...(look.dark ? { dark: true } : {}),
      ...(moving ? { moving } : {}),
      ...(view ? { view } : {}),
      ...(recogniser ? { recogniser } : {}),
      ...(broken ? { broken } : {}),
    };
    const told =
      before.state !== name ||
      before.settling !== next.settling ||
      before.dark !== next.dark ||
      before.width !== width ||
      Math.abs(this.toldRate - rate) >= 0.8;
    if (told) this.change(next);
    else this.state = next;
  }

  private explain({ code, detail }: FeedFailure): void {
    const next = { ...this.state, reason: { code, ...(detail ? { detail } : {}) } };
    if (this.state.state !== 'live') this.change(next);
    else this.state = next;
  }

  private lookAtClock(): void {
    const wait = patience(this.camera.small ?? this.camera.main);
    // One that sends by itself has said how long it may be silent; for the others it is told from their pace.
    const slow = this.sendsItself ? wait - lostMs : wait * 2;
    const silent = this.parts.clock.steady() - this.lastPicture;
    const name = silent >= lostMs + slow ? 'lost' : silent >= lateMs + slow ? 'late' : this.state.state;
    if (name === this.state.state || this.state.state === 'lost') return;
    const { broken, reason, width, height } = this.state;
    this.change({
      state: name,
      since: new Date(this.parts.clock.wall()).toISOString(),
      reason: reason ?? { code: 'no-pictures' },
      ...(width ? { width, height } : {}),
      ...(broken ? { broken } : {}),
    });
  }

  private change(state: CameraState): void {
    this.state = state;
    this.toldRate = state.rate ?? 0;
    this.parts.send({ kind: 'state', camera: this.camera.key, state });
  }
}
