import path from 'node:path';
import {
  areaOf,
  type CameraReport,
  type CameraState,
  type DrawnMark,
  deviceFeeds,
  type Feed,
  kindOfMark,
  plainLine,
  type SiteDocument,
} from '@causalis/contract';
import type { Clock, ClockShift } from './clock.js';
import type { Engine } from './engine/engine.js';
import { newId } from './ids.js';
import { type Arrival, ArrivalRefused, mustBeTaken } from './intake/accounts/contract.js';
import { CameraIntake } from './intake/cameras.js';
import { DeviceNotices, type DeviceParts } from './intake/device.js';
import { FeedFailure, type ReadyFeed, type ReadyFeedOf } from './intake/feeds/contract.js';
import { Steering } from './intake/steering.js';
import { Watchers } from './intake/watchers.js';
import type { Evidence } from './media/evidence.js';
import { Remembered } from './media/remembered.js';
import type { TurnedBy } from './outputs/contract.js';
import type { OwnEvents } from './own-events.js';
import { Sky } from './sky.js';
import { LiveHub } from './web/live-hub.js';

export interface SiteCamerasParts extends Pick<DeviceParts, 'inputSaid' | 'relayTold'> {
  readonly clock: Clock;
  /** Folder of the service's data, and the site's key. */
  readonly home: string;
  readonly site: string;
  readonly document: () => SiteDocument;
  readonly engine: () => Engine;
  readonly secret: (key: string, use: string) => Promise<{ value: string } | { code: string }>;
  readonly evidence: Evidence;
  readonly own: OwnEvents;
  /** Tells who listens that a camera's state is another. */
  readonly announce: (camera: CameraReport) => void;
  readonly trouble: (error: unknown, what: string) => void;
}

/** The cameras of one site: those who watch them, what becomes of what they see and say, their heads. */
export class SiteCameras {
  readonly live: LiveHub;
  readonly remembered: Remembered;
  readonly devices: DeviceNotices;
  readonly steering: Steering;
  readonly watchers: Watchers;
  /** Folder of recorded files. */
  readonly recordings: string;
  private readonly parts: SiteCamerasParts;
  private readonly intake: CameraIntake;
  private readonly sky: Sky;

  constructor(parts: SiteCamerasParts) {
    const { clock, home, site, document, evidence, own, trouble } = parts;
    this.parts = parts;
    this.recordings = path.join(home, 'recordings');
    this.live = new LiveHub((cameras) => this.watchers.view(cameras));
    this.remembered = new Remembered(path.join(home, 'remembered', site), () => clock.wall());
    this.intake = new CameraIntake({ clock, evidence, accept: (entry, extras) => parts.engine().accept(entry, extras), trouble });
    this.watchers = new Watchers({
      secret: parts.secret,
      wall: () => clock.wall(),
      recordings: this.recordings,
      motion: (motion) => {
        if (own.mayReport('cameras', motion.camera)) this.intake.motion(motion);
      },
      object: (object) => {
        if (own.mayReport('cameras', object.camera)) this.intake.object(object);
      },
      view: (view) => this.intake.view(view),
      remember: ({ camera, frames }) => void this.remembered.add(camera, frames),
      recogniser: ({ recogniser, ok, reason }) => own.asked(recogniser, ok, reason),
      notice: (notice) => this.devices.told(notice),
      offers: (camera, offers) => this.devices.offered(camera, offers),
      state: (camera, state) => {
        this.intake.state(camera, state);
        if (document().cameras[camera]) parts.announce(this.report(camera, state));
      },
      look: (frame, jpeg) => this.live.show(frame, jpeg),
    });
    this.sky = new Sky(
      clock,
      () => document().site.position,
      (dark) => this.watchers.sky(dark),
    );
    this.devices = new DeviceNotices({
      document,
      inputSaid: parts.inputSaid,
      relayTold: parts.relayTold,
      own: (notice) => {
        if (own.mayReport('cameras', notice.camera)) this.intake.own(notice);
      },
    });
    this.steering = new Steering({
      document,
      deviceOf: (camera) => this.deviceOf(camera),
      moves: (camera, moving) => this.watchers.headMoves(camera, moving),
    });
  }

  async start(): Promise<void> {
    this.sky.start();
    await this.use();
  }

  /** Goes by the document in force and what secrets there are: cameras that are the same go on undisturbed. */
  async use(): Promise<void> {
    await this.watchers.use(this.parts.document());
  }

  shiftClock(shift: ClockShift): void {
    this.watchers.shiftClock(shift);
  }

  async stop(): Promise<void> {
    this.sky.stop();
    this.intake.stop();
    this.steering.stop();
    await this.watchers.stop();
  }

  /** What is known of a camera now. */
  report(key: string, state: CameraState = this.watchers.stateOf(key)): CameraReport {
    const camera = this.parts.document().cameras[key];
    const marks = Object.entries(camera?.marks ?? {}).map(([name, mark]): DrawnMark => {
      const area = areaOf(mark);
      const kind = kindOfMark(mark);
      const shape = area && 'cells' in area ? { corners: [], cells: area.cells } : { corners: area ?? mark.line ?? [] };
      return { name, kind, ...shape, ...(kind === 'line' ? { in: mark.in ?? 'left' } : {}), ...(mark.counter ? { counter: true } : {}) };
    });
    return { key, title: camera?.title ?? key, state, marks };
  }

  /** A camera has sent something by itself, over an account: pictures that are none are refused, all or nothing. */
  async reported(camera: string, account: string, arrival: Arrival): Promise<void> {
    mustBeTaken(arrival);
    const { pictures, file, words } = arrival;
    const fresh = await Promise.all(pictures.map((jpeg) => this.watchers.pushed(camera, jpeg)));
    if (fresh.some((picture) => !picture)) throw new ArrivalRefused('no-picture');
    const data = { account, ...(file ? { file } : {}), ...(words ? { words } : {}) };
    await this.intake.reported(
      camera,
      data,
      fresh.filter((picture) => picture !== undefined),
    );
  }

  /** A hand or a rule has steered a camera's head: the ledger says so, and who. */
  async steered(camera: string, to: string, by: string | TurnedBy): Promise<void> {
    const wall = this.parts.clock.wall();
    const rule = typeof by === 'string' ? undefined : by;
    const data = {
      to: plainLine(to, 60),
      by: plainLine(rule?.rule ?? String(by), 100),
      ...(rule ? { rule: plainLine(rule.rule, 200) } : {}),
    };
    const event = {
      id: newId(),
      kind: 'head.moved' as const,
      section: 'cameras' as const,
      source: camera,
      data,
      time: wall,
      seen: wall,
      depth: rule?.depth ?? 0,
      test: rule?.test ?? false,
    };
    await this.parts.engine().accept({ kind: 'event', event });
  }

  /** A feed with its password: the one given, else that of its secret. */
  readyFeed(feed: Feed, password: string | undefined): Promise<ReadyFeed | { code: string }> {
    return this.watchers.ready(feed, password);
  }

  /** The feed over which a camera's ONVIF device is spoken to; nothing for one that is none. */
  async deviceOf(key: string): Promise<ReadyFeedOf<'onvif'> | undefined> {
    const { cameras } = this.parts.document();
    const [feed] = Object.hasOwn(cameras, key) ? deviceFeeds(cameras[key]) : [];
    const ready = feed && (await this.readyFeed(feed, undefined));
    if (ready && 'code' in ready) throw new FeedFailure(ready.code);
    return ready?.kind === 'onvif' ? ready : undefined;
  }
}
