import type { SiteDocument } from '@causalis/contract';
import { renamesOf, withoutFormerKeys } from '@causalis/core';
import { readRevision, readSites, writeDocumentRevision } from './ledger/documents.js';
import { Refusal, unknownItem } from './problem.js';
import { type SiteParts, SiteRuntime } from './site.js';

/** The sites that this service carries. */
export class Sites {
  private readonly parts: SiteParts;
  private readonly running = new Map<string, SiteRuntime>();

  constructor(parts: SiteParts) {
    this.parts = parts;
  }

  async start(): Promise<void> {
    for (const stored of await readSites(this.parts.database)) this.running.set(stored.key, await SiteRuntime.start(this.parts, stored));
  }

  get all(): readonly SiteRuntime[] {
    return [...this.running.values()];
  }

  find(key: string): SiteRuntime | undefined {
    return this.running.get(key);
  }

  get(key: string): SiteRuntime {
    const site = this.running.get(key);
    if (!site) throw new Refusal('unknown-site', { site: key });
    return site;
  }

  byId(id: number): SiteRuntime | undefined {
    return this.all.find((site) => site.id === id);
  }

  /** Puts a checked document into force; a key that is new makes a new site. */
  async apply(document: SiteDocument, by: string): Promise<{ site: SiteRuntime; changed: string[] }> {
    const running = this.running.get(document.site.key);
    const renames = renamesOf(running?.document, document);
    const { site: stored, changed } = await writeDocumentRevision(
      this.parts.database,
      running?.current,
      withoutFormerKeys(document),
      renames,
      by,
      new Date(this.parts.clock.wall()),
    );
    if (running) {
      if (changed.length > 0) await running.adopt(stored, renames);
      return { site: running, changed };
    }
    const site = await SiteRuntime.start(this.parts, stored);
    this.running.set(stored.key, site);
    return { site, changed };
  }

  /** Puts an earlier revision into force again, as the next one. */
  async restore(running: SiteRuntime, number: number, by: string): Promise<{ site: SiteRuntime; changed: string[] }> {
    const document = await readRevision(this.parts.database, running.id, number);
    if (!document) throw unknownItem('revision', String(number));
    return await this.apply(document, by);
  }

  async stop(): Promise<void> {
    await Promise.all(this.all.map((site) => site.stop()));
  }
}
