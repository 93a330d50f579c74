import { type ChildProcess, fork } from 'node:child_process';
import { type CameraState, type Feed, feedUse, type LiveFrame, type SiteDocument } from '@causalis/contract';
import { motionSettings } from '@causalis/core';
import type { ClockShift } from '../clock.js';
import type { FromWatcher, ReportedMotion, ToWatcher, WatchedCamera, WatchedFeed } from './watcher/messages.js';

export interface WatcherParts {
  readonly secret: (key: string, use: string) => Promise<{ value: string } | { code: string }>;
  readonly wall: () => number;
  readonly motion: (motion: ReportedMotion) => void;
  readonly state: (camera: string, state: CameraState, before: CameraState | undefined) => void;
  readonly look: (frame: LiveFrame, jpeg: Buffer) => void;
}

/** As many cameras as one process carries; more are spread over several. */
const camerasEach = 16;
const againMs = 1_000;
/** How long a watcher may take for a picture. */
const pictureMs = 3_000;

/** The watcher processes of a site: started, fed with cameras, restarted when one ends. */
export class Watchers {
  private readonly parts: WatcherParts;
  private children: ChildProcess[] = [];
  private cameras: WatchedCamera[] = [];
  private readonly states = new Map<string, CameraState>();
  private readonly requests = new Map<number, (picture: { jpeg: Buffer; at: number } | undefined) => void>();
  private viewed: readonly string[] = [];
  private shift: ClockShift | undefined;
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
        motion: motionSettings(camera, document.groups[camera.group ?? '']),
      })),
    );
    for (const key of this.states.keys()) if (!document.cameras[key]) this.states.delete(key);
    const wanted = Math.ceil(this.cameras.length / camerasEach);
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
      tell(child, { kind: 'picture', request, camera, wall });
    });
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
    return Math.floor(this.cameras.findIndex(({ key }) => key === camera) / camerasEach);
  }

  private start(index: number): void {
    const child = fork(new URL('./watcher/main.js', import.meta.url), [], {
      serialization: 'advanced',
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      env: {},
    });
    this.children[index] = child;
    child.on('message', (message: FromWatcher) => this.heard(message));
    child.on('error', () => undefined);
    child.on('exit', () => this.ended(index, child));
    if (this.shift) tell(child, { kind: 'shift', shift: this.shift });
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
    return this.cameras.slice(index * camerasEach, (index + 1) * camerasEach);
  }

  private tellCameras(index: number): void {
    tell(this.children[index], { kind: 'cameras', cameras: this.camerasOf(index) });
  }

  private heard(message: FromWatcher): void {
    switch (message.kind) {
      case 'motion':
        this.parts.motion(message);
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

  private async withSecret(feed: Feed): Promise<WatchedFeed> {
    const { kind, url, user } = feed;
    const base = { kind, url, ...(user ? { user } : {}) };
    if (!feed.password) return base;
    const secret = await this.parts.secret(feed.password.secret, feedUse(feed));
    return 'code' in secret ? { missing: secret.code } : { ...base, password: secret.value };
  }
}

function tell(child: ChildProcess, message: ToWatcher): void {
  if (child.connected) child.send(message, () => undefined);
}
