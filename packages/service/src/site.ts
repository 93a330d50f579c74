import path from 'node:path';
import type { CameraReport, CameraState, Delivery, DrawnMark, SiteDocument } from '@causalis/contract';
import { type CompiledSite, compileSite, retryPolicies, stateKeys } from '@causalis/core';
import type { Clock, ClockShift } from './clock.js';
import { Dispatch } from './dispatch/dispatch.js';
import { Engine } from './engine/engine.js';
import { CameraIntake } from './intake/cameras.js';
import { Watchers } from './intake/watchers.js';
import { insertMedia, type Stepped } from './ledger/commit.js';
import type { Database } from './ledger/database.js';
import type { StoredSite } from './ledger/documents.js';
import { makeDue } from './ledger/queue.js';
import { findDelivery, findEvent, listFirings, mediaPath } from './ledger/reading.js';
import { Evidence, sweepOrphans } from './media/evidence.js';
import { Brokers } from './outputs/brokers.js';
import { type CallRules, callKind } from './outputs/call.js';
import { lightKind } from './outputs/light.js';
import { mediaKind } from './outputs/media.js';
import { smtpKind } from './outputs/smtp.js';
import { Refusal } from './problem.js';
import { Vault } from './secrets/vault.js';
import { Announcer } from './web/announcer.js';
import { LiveHub } from './web/live-hub.js';

/** What every site of a service shares. */
export interface SiteParts {
  readonly database: Database;
  readonly clock: Clock;
  readonly home: string;
  readonly key: Buffer;
  readonly process: string;
  readonly callRules: CallRules;
  readonly trouble: (error: unknown, what: string) => void;
}

const compile = (stored: StoredSite): CompiledSite =>
  compileSite(stored.document, (section, key) => stored.ids.get(`${section}/${key}`) ?? key);

/** One site at work: its engine, dispatch, watchers and brokers, tied together. */
export class SiteRuntime {
  readonly announcer = new Announcer();
  readonly live: LiveHub;
  readonly vault: Vault;
  readonly evidence: Evidence;
  readonly watchers: Watchers;
  private readonly parts: SiteParts;
  private readonly dispatch: Dispatch;
  private readonly intake: CameraIntake;
  private readonly brokers: Brokers;
  private running: Engine | undefined;
  private stored: StoredSite;

  private constructor(parts: SiteParts, stored: StoredSite) {
    const { database, clock, trouble } = parts;
    const vault = new Vault(database, stored.id, parts.key);
    this.parts = parts;
    this.stored = stored;
    this.vault = vault;
    this.live = new LiveHub((cameras) => this.watchers.view(cameras));
    this.evidence = new Evidence({
      folder: path.join(parts.home, 'media', stored.key),
      pictureAt: (camera, wall) => this.watchers.pictureAt(camera, wall),
      insert: (row) => insertMedia(database, stored.id, row),
      find: (id) => mediaPath(database, stored.id, id),
    });
    this.intake = new CameraIntake({
      clock,
      evidence: this.evidence,
      accept: (entry, extras) => this.engine.accept(entry, extras),
      trouble,
    });
    this.watchers = new Watchers({
      secret: (key, use) => vault.give(key, use),
      wall: () => clock.wall(),
      motion: (motion) => this.intake.motion(motion),
      state: (camera, state) => {
        this.intake.state(camera, state);
        this.announceCamera(camera, state);
      },
      look: (frame, jpeg) => this.live.show(frame, jpeg),
    });
    this.brokers = new Brokers((output, value) => {
      this.engine.accept({ kind: 'read-back', output, value }).catch((error: unknown) => trouble(error, 'read-back'));
    });
    const around = {
      secret: (key: string, use: string) => vault.give(key, use),
      picture: (id: string) => this.evidence.read(id),
      site: this,
    };
    this.dispatch = new Dispatch({
      database,
      site: stored.id,
      clock,
      process: parts.process,
      kinds: {
        smtp: smtpKind(around),
        call: callKind(around, parts.callRules),
        light: lightKind(this.brokers),
        media: mediaKind(this.evidence),
      },
      outputs: () => this.document.outputs,
      linkTo: (event) => this.linkTo(event),
      ended: async ({ id, firing, action, back }, sent, state, extras) => {
        await this.engine.accept({ kind: 'ended', delivery: { id, firing, action, state, back, stills: sent.stills ?? [] } }, extras);
      },
      moved: (delivery) => this.announceDelivery(delivery),
      trouble,
    });
  }

  /** Brings a site to work: state first, then what was left over, then the eyes. */
  static async start(parts: SiteParts, stored: StoredSite): Promise<SiteRuntime> {
    const site = new SiteRuntime(parts, stored);
    await site.vault.load();
    site.running = await Engine.start(
      {
        database: parts.database,
        site: stored.id,
        clock: parts.clock,
        process: parts.process,
        committed: (stepped) => site.committed(stepped),
        trouble: parts.trouble,
      },
      compile(stored),
    );
    await sweepOrphans(
      path.join(parts.home, 'media', stored.key),
      async (id) => (await mediaPath(parts.database, stored.id, id)) !== undefined,
      parts.clock.wall() - 60_000,
    );
    site.brokers.use(stored.document);
    await site.dispatch.start();
    await site.watchers.use(stored.document);
    return site;
  }

  get engine(): Engine {
    if (!this.running) throw new Refusal('starting');
    return this.running;
  }
  get id(): number {
    return this.stored.id;
  }
  get key(): string {
    return this.stored.key;
  }
  get document(): SiteDocument {
    return this.stored.document;
  }
  get revision(): number {
    return this.stored.revision;
  }
  get name(): string {
    return this.document.site.name;
  }
  get timezone(): string {
    return this.document.site.timezone;
  }
  get current(): StoredSite {
    return this.stored;
  }
  get mode(): string {
    return this.engine.read(stateKeys.mode) ?? this.document.site.modes[0];
  }

  /** A source's title as the document has it now. */
  title(source: string): string {
    return this.document.cameras[source]?.title ?? (source === this.key ? this.name : source);
  }

  /** Address of an event's chain, built from the site's own addresses. */
  linkTo(event: string): string | undefined {
    const base = this.document.site.addresses?.inside;
    return base ? `${base.replace(/\/$/, '')}/ledger/events/${event}` : undefined;
  }

  /** A new revision is in force: from the next entry on, without a restart. */
  async adopt(stored: StoredSite): Promise<void> {
    this.stored = stored;
    this.engine.recompile(compile(stored));
    this.brokers.use(stored.document);
    await this.watchers.use(stored.document);
    this.announcer.announce({ kind: 'revision', revision: stored.revision });
  }

  /** A secret was written: whoever waits for it may try. */
  async secretWritten(): Promise<void> {
    await this.watchers.use(this.document);
  }

  cameraReport(key: string, state: CameraState = this.watchers.stateOf(key)): CameraReport {
    const camera = this.document.cameras[key];
    const marks = Object.entries(camera?.marks ?? {}).map(
      ([name, mark]): DrawnMark =>
        mark.zone ? { name, kind: 'zone', corners: mark.zone } : { name, kind: 'ignored', corners: mark.ignored ?? [] },
    );
    return { key, title: this.title(key), state, marks };
  }

  /** Tries a delivery now that has not arrived; its attempts count on, its expiry begins anew. */
  async retry(id: string): Promise<Delivery> {
    const { database, clock } = this.parts;
    const before = await findDelivery(database, this.id, id);
    if (!before) throw new Refusal('unknown-delivery', { id });
    const steady = clock.steady();
    const expires = before.back
      ? null
      : (retryPolicies[before.sets ? 'set' : before.output === 'media' ? 'still' : before.recipient ? 'tell' : 'call'].expiresMs ?? null);
    if (!(await makeDue(database, this.id, id, steady, expires === null ? null : steady + expires)))
      throw new Refusal('not-retryable', { state: before.state });
    this.dispatch.lookAt(steady);
    this.announceDelivery(id);
    return (await findDelivery(database, this.id, id)) ?? before;
  }

  shiftClock(shift: ClockShift): void {
    this.watchers.shiftClock(shift);
  }

  async stop(): Promise<void> {
    this.intake.stop();
    await this.watchers.stop();
    await this.dispatch.stop();
    await this.running?.stop();
    await this.brokers.stop();
  }

  /** After a commit: hand over first, then announce. */
  private committed({ entry, now, result }: Stepped): void {
    if (result.deliveries.length > 0) this.dispatch.handOver(result.deliveries, now.steady);
    for (const { event } of result.events) void this.announceEvent(event.id);
    for (const { id } of result.firings) void this.announceFiring(id);
    if (entry.kind === 'ended') this.announceDelivery(entry.delivery.id);
    for (const { delivery } of result.receipts) this.announceDelivery(delivery);
    if (entry.kind === 'mode') this.announcer.announce({ kind: 'mode', mode: entry.mode });
  }

  private async announceEvent(id: string): Promise<void> {
    await this.quietly(async () => {
      const event = await findEvent(this.parts.database, this.id, id);
      if (event) this.announcer.announce({ kind: 'event', event: { ...event, title: this.title(event.source.key) } });
    });
  }

  private async announceFiring(id: string): Promise<void> {
    await this.quietly(async () => {
      for (const firing of await listFirings(this.parts.database, this.id, { id })) this.announcer.announce({ kind: 'firing', firing });
    });
  }

  private announceDelivery(id: string): void {
    void this.quietly(async () => {
      const delivery = await findDelivery(this.parts.database, this.id, id);
      if (delivery) this.announcer.announce({ kind: 'delivery', delivery });
    });
  }

  private announceCamera(key: string, state: CameraState): void {
    if (this.document.cameras[key]) this.announcer.announce({ kind: 'camera', camera: this.cameraReport(key, state) });
  }

  /** What is only told, not kept, may fail with the database: listeners read afresh when it is back. */
  private async quietly(job: () => Promise<void>): Promise<void> {
    try {
      await job();
    } catch (error) {
      this.parts.trouble(error, 'announcing');
    }
  }
}
