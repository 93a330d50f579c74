import path from 'node:path';
import { deviceFeeds, type Finding, type SiteDocument } from '@causalis/contract';
import { type CompiledSite, checkDocument, compileSite, type Rename, stateKeys } from '@causalis/core';
import { Hand, standsAside } from './by-hand.js';
import type { Clock, ClockShift } from './clock.js';
import { Dispatch } from './dispatch/dispatch.js';
import { Engine } from './engine/engine.js';
import type { Figures } from './figures.js';
import { FeedFailure } from './intake/feeds/contract.js';
import { LastCalls } from './intake/hook.js';
import { InputIntake } from './intake/inputs.js';
import { switchRelay } from './intake/onvif/relay.js';
import { Lease } from './lease.js';
import { insertMedia } from './ledger/commit.js';
import type { Database } from './ledger/database.js';
import type { StoredSite } from './ledger/documents.js';
import type { Holder } from './ledger/leases.js';
import { writeRefused } from './ledger/secrets.js';
import { mediaPath } from './ledger/state.js';
import type { Stepped } from './ledger/stepped.js';
import { Evidence, sweepOrphans } from './media/evidence.js';
import { Brokers } from './outputs/brokers.js';
import type { CallRules } from './outputs/contract.js';
import { makeSenders } from './outputs/registry.js';
import { OwnEvents } from './own-events.js';
import { Refusal } from './problem.js';
import { ReadBacks } from './read-backs.js';
import { Vault } from './secrets/vault.js';
import { SiteCameras } from './site-cameras.js';
import { Announcer } from './web/announcer.js';
import { Announcing } from './web/announcing.js';

/** What every site of a service shares. */
export interface SiteParts {
  readonly database: Database;
  readonly clock: Clock;
  readonly home: string;
  readonly key: Buffer;
  readonly process: string;
  /** Who this process is to others that would work for the same sites, and how long they wait when it is silent, ms. */
  readonly holder: () => Promise<Holder>;
  readonly leaseMs: number;
  readonly callRules: CallRules;
  /** Room on the disk of the data folder, bytes. */
  readonly room: () => Promise<number>;
  readonly trouble: (error: unknown, what: string) => void;
  readonly figures: Figures;
  /** Writes a line of what happens: each names the event that it hangs on. */
  readonly note: (facts: Readonly<Record<string, unknown>>, what: string) => void;
}

const compile = (stored: StoredSite): CompiledSite =>
  compileSite(stored.document, (section, key) => stored.ids.get(`${section}/${key}`) ?? key);

/** One site at work: its engine, cameras, dispatch and brokers, tied together. */
export class SiteRuntime {
  readonly announcer = new Announcer();
  readonly vault: Vault;
  readonly evidence: Evidence;
  readonly calls = new LastCalls();
  readonly cameras: SiteCameras;
  readonly hand: Hand;
  readonly own: OwnEvents;
  readonly lease: Lease;
  private readonly dispatch: Dispatch;
  private readonly brokers: Brokers;
  private readonly readBacks: ReadBacks;
  private readonly announcing: Announcing;
  private checked: { readonly revision: number; readonly byRule: ReadonlyMap<string, Finding[]> } | undefined;
  private running: Engine | undefined;
  private stored: StoredSite;

  private constructor(parts: SiteParts, stored: StoredSite, lease: Lease) {
    const { database, clock, trouble } = parts;
    this.lease = lease;
    const vault = new Vault(database, stored.id, parts.key);
    this.stored = stored;
    this.vault = vault;
    this.own = new OwnEvents({
      clock,
      site: stored.key,
      accept: (entry) => this.engine.accept(entry),
      room: parts.room,
      trouble,
    });
    this.evidence = new Evidence({
      folder: path.join(parts.home, 'media', stored.key),
      pictureAt: (camera, wall) => this.cameras.watchers.pictureAt(camera, wall),
      hasRoom: () => this.own.hasRoom,
      insert: (row) => insertMedia(database, stored.id, row),
      find: (id) => mediaPath(database, stored.id, id),
    });
    this.readBacks = new ReadBacks(clock, (output, value) => this.engine.accept({ kind: 'read-back', output, value }), trouble);
    const inputs = new InputIntake({
      clock,
      document: () => this.document,
      read: (key) => this.engine.read(key),
      accept: (entry) => this.engine.accept(entry),
      mayReport: (input) => this.own.mayReport('inputs', input),
      refused: (source, address, reason) =>
        writeRefused(database, { site: stored.id, source, at: new Date(clock.wall()), address: address.slice(0, 60), reason }),
      trouble,
    });
    this.cameras = new SiteCameras({
      clock,
      home: parts.home,
      site: stored.key,
      document: () => this.document,
      engine: () => this.engine,
      secret: (key, use) => vault.give(key, use),
      evidence: this.evidence,
      own: this.own,
      inputSaid: (input, payload) => inputs.told(input, payload),
      relayTold: (output, value) => this.readBacks.told(output, value),
      announce: (camera) => this.announcer.announce({ kind: 'camera', camera }),
      trouble,
    });
    this.brokers = new Brokers(
      (output, value) => this.readBacks.told(output, value),
      (input, payload) => inputs.told(input, payload),
    );
    this.announcing = new Announcing({
      database,
      site: stored.id,
      announcer: this.announcer,
      title: (source) => this.title(source),
      trouble,
    });
    this.dispatch = new Dispatch({
      database,
      lease,
      clock,
      process: parts.process,
      senders: makeSenders({
        secret: (key, use) => vault.give(key, use),
        hasRoom: () => this.own.hasRoom,
        picture: (id) => this.evidence.read(id),
        keepPicture: (camera, wall, event) => this.evidence.keep(camera, wall, event),
        brokers: this.brokers,
        relay: async (camera, token, on, signal) => {
          const feed = await this.cameras.deviceOf(camera);
          if (!feed) throw new FeedFailure('no-camera');
          await switchRelay(feed, token, on, signal);
        },
        turn: async (camera, preset, by) => {
          await this.cameras.steering.steer(camera, preset === 'home' ? { home: true } : { go: preset });
          await this.cameras.steered(camera, preset, by);
        },
        isHead: (camera) => Object.hasOwn(this.document.cameras, camera) && deviceFeeds(this.document.cameras[camera]).length > 0,
        calls: parts.callRules,
        site: this,
      }),
      outputs: () => this.document.outputs,
      linkTo: (event) => this.linkTo(event),
      ended: async (delivery, sent, state, extras) => {
        const { id, firing, action } = delivery;
        const ended = { id, firing, action, state, aside: standsAside(delivery), stills: sent.stills ?? [] };
        await this.engine.accept({ kind: 'ended', delivery: ended }, extras);
      },
      superseded: ({ id, output, content }) => {
        const key = content.verb === 'set' ? stateKeys.output(output) : content.verb === 'look' ? stateKeys.head(output) : undefined;
        const last = key && this.engine.read<{ readonly delivery?: string }>(key)?.delivery;
        return last !== undefined && last !== id;
      },
      attempted: ({ id, event, output, attempt }, { ok, code }, tookMs) => {
        parts.figures.attempted(stored.key, output, code, tookMs);
        parts.note({ site: stored.key, event, delivery: id, output, attempt, code }, ok ? 'delivered' : 'not delivered');
        if (this.document.outputs[output]) this.own.attempted(output, ok, code);
      },
      moved: (delivery) => this.announcing.delivery(delivery),
      trouble,
    });
    this.hand = new Hand({
      database,
      site: stored.id,
      clock,
      engine: () => this.engine,
      document: () => this.document,
      look: (steady) => this.dispatch.lookAt(steady),
      moved: (delivery) => this.announcing.delivery(delivery),
      when: (...asked) => this.announcing.when(...asked),
    });
  }

  /**
   * Brings a site to work: its lease, then its state, then what was left over, then the eyes. Says who works for it
   * where that is another process; `lost` is called when another has taken it over.
   */
  static async start(parts: SiteParts, stored: StoredSite, lost: (site: SiteRuntime) => void): Promise<SiteRuntime | { by: Holder }> {
    const started: { site?: SiteRuntime } = {};
    const taken = await Lease.take(parts.database, stored.id, await parts.holder(), parts.leaseMs, () => {
      if (started.site) lost(started.site);
    });
    if ('by' in taken) return taken;
    const site = new SiteRuntime(parts, stored, taken.lease);
    started.site = site;
    try {
      await site.begin(parts, taken.number, taken.awayMs);
    } catch (error) {
      await site.stop().catch(() => undefined);
      throw error;
    }
    // It may have been lost while the site was brought to work.
    return taken.lease.isOver ? { by: await parts.holder() } : site;
  }

  private async begin(parts: SiteParts, number: number, awayMs: number | undefined): Promise<void> {
    const { stored } = this;
    await this.vault.load();
    this.running = await Engine.start(
      {
        database: parts.database,
        lease: this.lease,
        clock: parts.clock,
        process: parts.process,
        timed: (entries, tookMs) => parts.figures.committed(this.key, entries, tookMs),
        handOver: ({ result, now }) => this.dispatch.handOver(result.deliveries, now.steady),
        announce: (stepped) => {
          this.announcing.committed(stepped);
          noteEntry(stepped, this.key, parts.note);
          parts.figures.entry(this.key, stepped);
        },
        trouble: parts.trouble,
      },
      compile(stored),
      number,
    );
    await sweepOrphans(
      path.join(parts.home, 'media', stored.key),
      async (id) => (await mediaPath(parts.database, stored.id, id)) !== undefined,
      { youngest: parts.clock.wall() - 60_000 },
    );
    this.brokers.use(stored.document);
    await this.dispatch.start();
    this.own.start(awayMs);
    await this.cameras.start();
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
  get language(): SiteDocument['site']['language'] {
    return this.document.site.language;
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
  async adopt(stored: StoredSite, renames: readonly Rename[]): Promise<void> {
    this.stored = stored;
    this.engine.recompile(compile(stored));
    const renamed = Object.fromEntries(renames.flatMap(({ section, from, to }) => (section === 'outputs' ? [[from, to]] : [])));
    await this.engine.accept({ kind: 'revision', revision: stored.revision, renamed });
    this.brokers.use(stored.document);
    this.own.only({
      inputs: Object.keys(stored.document.inputs),
      hooks: Object.keys(stored.document.hooks),
      cameras: Object.keys(stored.document.cameras),
    });
    await this.cameras.use();
    this.announcer.announce({ kind: 'revision', revision: stored.revision });
  }

  /** A secret was written: whoever waits for it may try. */
  async secretWritten(): Promise<void> {
    await this.cameras.use();
  }

  /** What the check says of each rule; found once for a document. */
  ruleFindings(): ReadonlyMap<string, Finding[]> {
    if (this.checked?.revision !== this.revision) {
      const byRule = new Map<string, Finding[]>();
      for (const finding of checkDocument(this.document)) {
        const [section, key] = finding.path;
        if (section === 'rules') byRule.set(String(key), [...(byRule.get(String(key)) ?? []), finding]);
      }
      this.checked = { revision: this.revision, byRule };
    }
    return this.checked.byRule;
  }

  shiftClock(shift: ClockShift): void {
    this.cameras.shiftClock(shift);
  }

  /** Deliveries in hand, by output. */
  get inHand(): ReadonlyMap<string, number> {
    return this.dispatch.inHand;
  }

  async stop(): Promise<void> {
    this.own.stop();
    this.readBacks.stop();
    await this.cameras.stop();
    await this.dispatch.stop();
    await this.running?.stop();
    await this.brokers.stop();
    await this.lease.end().catch(() => undefined);
  }
}

/** Lines of the log for an entry: what came in, what fired, what goes out, each with the event that it hangs on. */
function noteEntry({ number, result }: Stepped, site: string, note: SiteParts['note']): void {
  for (const { event, verdicts } of result.events)
    note(
      {
        site,
        number,
        event: event.id,
        kind: event.kind,
        source: event.source,
        fired: verdicts.filter(({ verdict }) => verdict === 'fired').length,
      },
      'event',
    );
  for (const { id, event, firing, output } of result.deliveries)
    note({ site, number, event, firing, delivery: id, output }, 'to be delivered');
  for (const { delivery, kind } of result.receipts) note({ site, number, delivery }, kind);
}
