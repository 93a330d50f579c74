import type { SiteDocument } from '@causalis/contract';
import { renamesOf, withoutFormerKeys } from '@causalis/core';
import { isAway } from './ledger/database.js';
import { countSites, readRevision, readSites, type StoredSite, writeDocumentRevision } from './ledger/documents.js';
import { Refusal, unknownItem } from './problem.js';
import { type SiteParts, SiteRuntime } from './site.js';

/** The sites that this service carries, and those that another process works for now. */
export class Sites {
  private readonly parts: SiteParts & { readonly documentChanged: () => void };
  private readonly running = new Map<string, SiteRuntime>();
  /** Where the process answers that works for a site, by site. */
  private readonly elsewhere = new Map<string, string>();
  /** Until every site has been looked at, one that is not known yet may only not have come so far. */
  private looked = false;
  private looking: Promise<void> = Promise.resolve();
  private timer: NodeJS.Timeout | undefined;
  private stopped = false;

  /** `documentChanged`: some site has another document; what all sites share may need to look. */
  constructor(parts: SiteParts & { readonly documentChanged: () => void }) {
    this.parts = parts;
  }

  /** Works for every site that no other process works for; those of others are taken over when their holder falls silent. */
  async start(): Promise<void> {
    for (const stored of await readSites(this.parts.database)) await this.bring(stored);
    this.looked = true;
    this.again();
  }

  get all(): readonly SiteRuntime[] {
    return [...this.running.values()];
  }

  /** A site at work here; nothing when there is no such site at all. */
  find(key: string): SiteRuntime | undefined {
    const site = this.running.get(key);
    if (site) return site;
    const by = this.elsewhere.get(key);
    if (by !== undefined) throw new Refusal('held-elsewhere', { by: by && `: ${by}` });
    if (!this.looked) throw new Refusal('starting');
    return undefined;
  }

  get(key: string): SiteRuntime {
    const site = this.find(key);
    if (!site) throw new Refusal('unknown-site', { site: key });
    return site;
  }

  byId(id: number): SiteRuntime {
    const site = this.all.find((one) => one.id === id);
    if (!site) throw new Refusal(this.looked ? 'held-elsewhere' : 'starting', { by: '' });
    return site;
  }

  /** Puts a checked document into force; a key that is new makes a new site. */
  async apply(document: SiteDocument, by: string): Promise<{ site: SiteRuntime; changed: string[] }> {
    const running = this.find(document.site.key);
    const renames = renamesOf(running?.document, document);
    const { site: stored, changed } = await writeDocumentRevision(
      this.parts.database,
      running?.lease.held,
      running?.current,
      withoutFormerKeys(document),
      renames,
      by,
      new Date(this.parts.clock.wall()),
    );
    if (running) {
      if (changed.length > 0) {
        await running.adopt(stored, renames);
        this.parts.documentChanged();
      }
      return { site: running, changed };
    }
    await this.bring(stored);
    return { site: this.get(stored.key), changed };
  }

  /** Puts an earlier revision into force again, as the next one. */
  async restore(running: SiteRuntime, number: number, by: string): Promise<{ site: SiteRuntime; changed: string[] }> {
    const document = await readRevision(this.parts.database, running.id, number);
    if (!document) throw unknownItem('revision', String(number));
    return await this.apply(document, by);
  }

  async stop(): Promise<void> {
    this.stopped = true;
    clearTimeout(this.timer);
    await this.looking;
    await Promise.all(this.all.map((site) => site.stop()));
  }

  /** Works for a site, unless another process does. */
  private async bring(stored: StoredSite): Promise<void> {
    const came = await SiteRuntime.start(this.parts, stored, (site) => this.lost(site));
    if (came instanceof SiteRuntime) {
      this.elsewhere.delete(stored.key);
      this.running.set(stored.key, came);
      this.parts.documentChanged();
    } else this.elsewhere.set(stored.key, came.by.url);
  }

  /** Another process has taken a site over: what is here of it ends, and it is stood by for. */
  private lost(site: SiteRuntime): void {
    this.parts.trouble(new Error(`another process works for ${site.key} now`), 'lease');
    this.running.delete(site.key);
    this.elsewhere.set(site.key, '');
    site.stop().catch((error: unknown) => this.parts.trouble(error, 'ending a site'));
  }

  /** Sites of others, and new ones that others have made, are looked at as often as leases are renewed. */
  private again(): void {
    if (this.stopped) return;
    this.timer = setTimeout(() => {
      this.looking = this.look().finally(() => this.again());
    }, this.parts.leaseMs / 3);
    this.timer.unref();
  }

  private async look(): Promise<void> {
    try {
      if (this.elsewhere.size === 0 && (await countSites(this.parts.database)) === this.running.size) return;
      for (const stored of await readSites(this.parts.database)) {
        if (this.stopped) return;
        if (!this.running.has(stored.key)) await this.bring(stored);
      }
    } catch (error) {
      if (!isAway(error)) this.parts.trouble(error, 'looking for sites');
    }
  }
}
