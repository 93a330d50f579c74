import { type ChildProcess, fork } from 'node:child_process';
import { availableParallelism } from 'node:os';
import {
  type Camera,
  type CameraState,
  durationMs,
  type Feed,
  feedUse,
  type Group,
  type LiveFrame,
  type SiteDocument,
  usualEvery,
} from '@causalis/contract';
import { motionSettings, objectSettings } from '@causalis/core';
import type { ClockShift } from '../clock.js';
import { Refusal } from '../problem.js';
import type { ReadyFeed } from './feeds/contract.js';
import type { DeviceOffers } from './onvif/client.js';
import { spread } from './spread.js';
import type {
  FromWatcher,
  ReportedFrames,
  ReportedMotion,
  ReportedNotice,
  ReportedObject,
  ReportedRecogniser,
  ReportedView,
  ToWatcher,
  WatchedCamera,
  WatchedFeed,
  WatchedRecogniser,
} from './watcher/messages.js';

export interface WatcherParts {
  readonly secret: (key: string, use: string) => Promise<{ value: string } | { code: string }>;
  readonly wall: () => number;
  /** Folder of recorded files. */
  readonly recordings: string;
  readonly motion: (motion: ReportedMotion) => void;
  readonly object: (object: ReportedObject) => void;
  readonly view: (view: ReportedView) => void;
  readonly remember: (report: ReportedFrames) => void;
  readonly recogniser: (report: ReportedRecogniser) => void;
  /** What a device says by itself, and what it can say. */
  readonly notice: (notice: ReportedNotice) => void;
  readonly offers: (camera: string, offers: DeviceOffers) => void;
  readonly state: (camera: string, state: CameraState, before: CameraState | undefined) => void;
  readonly look: (frame: LiveFrame, jpeg: Buffer) => void;
}

/** Pictures pass through a watcher and are gone: a larger young generation would only hold them longer, MB. */
const youngMb = 4;
const againMs = 1_000;
/** How long a watcher may take for a picture. */
const pictureMs = 3_000;

/** The watcher processes of a site: started, fed with cameras, restarted when one ends. */
export class Watchers {
  private readonly parts: WatcherParts;
  private children: ChildProcess[] = [];
  private cameras: WatchedCamera[] = [];
  /** Which process carries which camera. */
  private carriers: ReadonlyMap<string, number> = new Map();
  private readonly states = new Map<string, CameraState>();
  private readonly requests = new Map<number, (picture: { jpeg: Buffer; at: number } | undefined) => void>();
  private viewed: readonly string[] = [];
  private shift: ClockShift | undefined;
  private dark = false;
  private request = 0;
  private stopped = false;

  constructor(parts: WatcherParts) {
    this.parts = parts;
  }

  /** Watches the cameras of a document; those that are the same go on undisturbed. */
  async use(document: SiteDocument): Promise<void> {
    this.cameras = await Promise.all(
      Object.entries(document.cameras).map(async ([key, camera]) => ({
        key,
        main: await this.withSecret(camera.feeds.main),
        ...(camera.feeds.small ? { small: await this.withSecret(camera.feeds.small) } : {}),
        ...settingsOf(camera, document),
      })),
    );
    for (const key of this.states.keys()) if (!document.cameras[key]) this.states.delete(key);
    this.carriers = spread(Object.keys(document.cameras), this.carriers, availableParallelism());
    const wanted = Math.max(-1, ...this.carriers.values()) + 1;
    while (this.children.length > wanted) this.children.pop()?.disconnect();
    while (this.children.length < wanted) this.start(this.children.length);
    this.children.forEach((_, i) => {
      this.tellCameras(i);
    });
  }

  stateOf(camera: string): CameraState {
    return this.states.get(camera) ?? { state: 'late', since: new Date(this.parts.wall()).toISOString(), reason: { code: 'connecting' } };
  }

  /** Only the pictures of cameras that somebody looks at cross from the watchers. */
  view(cameras: readonly string[]): void {
    this.viewed = cameras;
    for (const child of this.children) tell(child, { kind: 'viewed', cameras });
  }

  /** The main picture of a camera nearest to a wall time. */
  pictureAt(camera: string, wall: number): Promise<{ jpeg: Buffer; at: number } | undefined> {
    return this.ask(camera, (request) => ({ kind: 'picture', request, camera, wall }));
  }

  /**
   * A picture that a camera has sent by itself: encoded afresh, without what is private; nothing when it is none. Refused
   * as "starting" while no watcher can look at it.
   */
  async pushed(camera: string, jpeg: Buffer): Promise<{ jpeg: Buffer; at: number } | undefined> {
    if (!this.children[this.indexOf(camera)]?.connected) throw new Refusal('starting');
    return await this.ask(camera, (request) => ({ kind: 'pushed', request, camera, jpeg }));
  }

  private ask(camera: string, message: (request: number) => ToWatcher): Promise<{ jpeg: Buffer; at: number } | undefined> {
    const child = this.children[this.indexOf(camera)];
    if (!child?.connected) return Promise.resolve(undefined);
    const request = ++this.request;
    return new Promise((resolve) => {
      const answer = (picture: { jpeg: Buffer; at: number } | undefined) => {
        clearTimeout(late);
        this.requests.delete(request);
        resolve(picture);
      };
      const late = setTimeout(() => answer(undefined), pictureMs);
      this.requests.set(request, answer);
      tell(child, message(request));
    });
  }

  /** Whether the sun at the site is down. */
  sky(dark: boolean): void {
    if (dark === this.dark) return;
    this.dark = dark;
    for (const child of this.children) tell(child, { kind: 'sky', dark });
  }

  /** A camera's head begins to move, or stands: what it sees meanwhile is no motion. */
  headMoves(camera: string, moving: boolean): void {
    const child = this.children[this.indexOf(camera)];
    if (child) tell(child, { kind: 'head', camera, moving });
  }

  shiftClock(shift: ClockShift): void {
    this.shift = shift;
    for (const child of this.children) tell(child, { kind: 'shift', shift });
  }

  async stop(): Promise<void> {
    this.stopped = true;
    await Promise.all(
      this.children.map((child) => {
        const gone = new Promise((resolve) => child.once('exit', resolve));
        if (child.exitCode !== null || child.signalCode !== null) return undefined;
        child.kill('SIGTERM');
        return gone;
      }),
    );
  }

  private indexOf(camera: string): number {
    return this.carriers.get(camera) ?? -1;
  }

  private start(index: number): void {
    const child = fork(new URL('./watcher/main.js', import.meta.url), [], {
      serialization: 'advanced',
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      env: {},
      execArgv: [`--max-semi-space-size=${youngMb}`],
    });
    this.children[index] = child;
    child.on('message', (message: FromWatcher) => this.heard(message));
    child.on('error', () => undefined);
    child.on('exit', () => this.ended(index, child));
    if (this.shift) tell(child, { kind: 'shift', shift: this.shift });
    tell(child, { kind: 'sky', dark: this.dark });
    tell(child, { kind: 'viewed', cameras: this.viewed });
  }

  /** A watcher that ended is lost pictures for its cameras, and nothing else. */
  private ended(index: number, child: ChildProcess): void {
    if (this.stopped || this.children[index] !== child) return;
    for (const { key } of this.camerasOf(index))
      this.setState(key, { state: 'lost', since: new Date(this.parts.wall()).toISOString(), reason: { code: 'watcher-ended' } });
    setTimeout(() => {
      if (this.stopped || this.children[index] !== child) return;
      this.start(index);
      this.tellCameras(index);
    }, againMs);
  }

  private camerasOf(index: number): WatchedCamera[] {
    return this.cameras.filter(({ key }) => this.indexOf(key) === index);
  }

  private tellCameras(index: number): void {
    tell(this.children[index], { kind: 'cameras', cameras: this.camerasOf(index) });
  }

  private heard(message: FromWatcher): void {
    switch (message.kind) {
      case 'motion':
        this.parts.motion(message);
        return;
      case 'object':
        this.parts.object(message);
        return;
      case 'view':
        this.parts.view(message);
        return;
      case 'frames':
        this.parts.remember(message);
        return;
      case 'recogniser':
        this.parts.recogniser(message);
        return;
      case 'notice':
        this.parts.notice(message);
        return;
      case 'offers':
        this.parts.offers(message.camera, message.offers);
        return;
      case 'state':
        this.setState(message.camera, message.state);
        return;
      case 'look':
        this.parts.look(message.frame, Buffer.from(message.jpeg ?? []));
        return;
      case 'picture':
        this.requests.get(message.request)?.(
          message.jpeg && message.at !== undefined ? { jpeg: Buffer.from(message.jpeg), at: message.at } : undefined,
        );
    }
  }

  private setState(camera: string, state: CameraState): void {
    const before = this.states.get(camera);
    this.states.set(camera, state);
    this.parts.state(camera, state, before);
  }

  /** A feed with its password looked up, or why that may not be. */
  async ready(feed: Feed, given?: string): Promise<ReadyFeed | { code: string }> {
    const password = 'password' in feed ? feed.password : undefined;
    if (given !== undefined || !password) return readyFeed(feed, this.parts.recordings, given);
    const secret = await this.parts.secret(password.secret, feedUse(feed));
    return 'code' in secret ? secret : readyFeed(feed, this.parts.recordings, secret.value);
  }

  private async withSecret(feed: Feed): Promise<WatchedFeed> {
    const ready = await this.ready(feed);
    return 'code' in ready ? { missing: ready.code } : ready;
  }
}

/** A feed with its password looked up and its times in numbers. */
export function readyFeed(feed: Feed, recordings: string, secret?: string): ReadyFeed {
  const { every, ...rest } = { every: undefined, ...feed };
  if ('password' in rest) delete rest.password;
  return {
    ...rest,
    everyMs: durationMs(every ?? usualEvery[feed.kind]),
    recordings,
    ...(secret === undefined ? {} : { secret }),
  } as ReadyFeed;
}

/** How a camera is watched, in plain numbers, from its own word and its group's. */
function settingsOf(camera: Camera, { groups, recognisers }: SiteDocument): Omit<WatchedCamera, 'key' | 'main' | 'small'> {
  const group: Group | undefined = groups[camera.group ?? ''];
  const key = camera.recogniser ?? group?.recogniser;
  const recogniser = key === undefined ? undefined : recognisers[key];
  const watched: WatchedRecogniser | undefined = recogniser && {
    key: key ?? '',
    url: recogniser.url,
    everyMs: durationMs(recogniser.every),
    when: recogniser.when,
    sure: recogniser.sure,
    most: recogniser.most,
    ...(recogniser.labels ? { labels: recogniser.labels } : {}),
  };
  return {
    motion: motionSettings(camera, group),
    objects: objectSettings(camera, group),
    hidden: Object.values(camera.marks).flatMap((mark) => (mark.private ? [mark.private] : [])),
    ...(watched ? { recogniser: watched } : {}),
  };
}

function tell(child: ChildProcess, message: ToWatcher): void {
  if (child.connected) child.send(message, () => undefined);
}
