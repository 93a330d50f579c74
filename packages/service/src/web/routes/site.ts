import type { SecretReport, SiteDocument } from '@causalis/contract';
import { checkDocument, diffDocuments } from '@causalis/core';
import { placeFindings, readDocument, writeDocument } from '@causalis/document';
import { findingText } from '@causalis/words';
import { listRevisions } from '../../ledger/documents.js';
import { writeAudit } from '../../ledger/people.js';
import { countDeliveries, ruleCounts } from '../../ledger/reading.js';
import { writeHookAddress } from '../../ledger/secrets.js';
import { Refusal } from '../../problem.js';
import { secretUses } from '../../secrets/vault.js';
import type { SiteRuntime } from '../../site.js';
import { newSecret } from '../access.js';
import type { Handlers, WebParts } from './context.js';

const day = 86_400_000;

/** A text's document with everything that can be said of it: what the check says, and at a running site its secrets too. */
function examine(text: unknown, site: SiteRuntime | undefined) {
  const body = typeof text === 'string' ? text : '';
  const read = readDocument(body);
  if ('findings' in read) return { findings: read.findings };
  const findings = checkDocument(read.value);
  if (site) findings.push(...secretFindings(read.value, site));
  return { document: read.value, findings: placeFindings(findings, body) };
}

/** Secrets that are not set, or were given for another place. */
function secretFindings(document: SiteDocument, site: SiteRuntime) {
  return [...secretUses(document)].flatMap(([value, uses]) => {
    const bound = site.vault.boundOf(value);
    const path = ['secrets', value];
    if (!bound) return [{ level: 'warning' as const, code: 'secret-not-set', path, values: { value } }];
    return uses
      .filter((use) => !bound.includes(use))
      .map((use) => ({ level: 'warning' as const, code: 'secret-not-bound', path, values: { value, use } }));
  });
}

function secretReport(site: SiteRuntime, key: string, uses: readonly string[]): SecretReport {
  const bound = site.vault.boundOf(key);
  return { key, set: bound !== undefined, uses: [...uses], bound: [...(bound ?? [])] };
}

/** The site as a whole: its document, mode, secrets and state at a glance. */
export const siteRoutes = ({ database, clock, sites, version, started }: WebParts): Handlers => {
  const audit = (site: SiteRuntime, by: string, address: string, what: string, detail: unknown) =>
    writeAudit(database, { at: new Date(clock.wall()), site: site.id, by, address, what, detail });

  return {
    status: async ({ site }) => {
      const rules = Object.values(site.document.rules);
      const active = rules.filter((rule) => rule.active).length;
      return {
        site: { key: site.key, name: site.name, timezone: site.timezone, revision: site.revision },
        mode: site.mode,
        cameras: Object.keys(site.document.cameras).map((key) => site.cameraReport(key)),
        rules: { active, inactive: rules.length - active },
        deliveries: await countDeliveries(database, site.id, new Date(clock.wall() - day)),
        started: started.toISOString(),
        version,
      };
    },
    document: ({ site, request, reply }) => {
      void reply.header('etag', `"${site.revision}"`);
      if (!/yaml/.test(request.headers.accept ?? '')) return site.document;
      void reply.type('application/yaml; charset=utf-8').serializer((text: unknown) => String(text));
      return writeDocument(site.document);
    },
    check: ({ body, params }) => ({ findings: examine(body, sites.find(params.site)).findings }),
    apply: async ({ body, params, request, me }) => {
      const running = sites.find(params.site);
      const { document, findings } = examine(body, running);
      const errors = findings.filter(({ level }) => level === 'error');
      if (!document || errors.length > 0)
        throw new Refusal('document-refused', { count: errors.length, first: errors[0] ? findingText(errors[0]).line : '' }, findings);
      if (document.site.key !== params.site) throw new Refusal('unknown-site', { site: params.site });
      if (running) checkRevision(running, document, request.headers['if-match']);
      const { site, changed } = await sites.apply(document, me.name);
      if (changed.length > 0) await audit(site, me.name, request.ip, 'document.applied', { revision: site.revision, changed });
      return { revision: site.revision, changed, findings };
    },
    preview: ({ body, params }) => {
      const running = sites.find(params.site);
      const { document, findings } = examine(body, running);
      if (!document)
        throw new Refusal(
          'document-refused',
          { count: findings.length, first: findings[0] ? findingText(findings[0]).line : '' },
          findings,
        );
      const newUses = [...secretUses(document)].flatMap(([key, uses]) =>
        uses.filter((use) => !running?.vault.boundOf(key)?.includes(use)).map((use) => `${key}: ${use}`),
      );
      return { ...diffDocuments(running?.document, document), newUses, findings };
    },
    revisions: async ({ site, query }) => ({ items: await listRevisions(database, site.id, query.limit) }),
    restore: async ({ site, params, me, request }) => {
      checkRevision(site, undefined, request.headers['if-match']);
      const { changed } = await sites.restore(site, params.number, me.name);
      await audit(site, me.name, request.ip, 'document.restored', { revision: site.revision, from: params.number });
      return { revision: site.revision, changed, findings: [] };
    },
    cameras: ({ site }) => ({ items: Object.keys(site.document.cameras).map((key) => site.cameraReport(key)) }),
    cameraStill: async ({ site, params, reply }) => {
      if (!site.document.cameras[params.key]) throw new Refusal('unknown-item', { what: 'camera', key: params.key });
      const picture = await site.watchers.pictureAt(params.key, clock.wall());
      if (!picture) throw new Refusal('no-picture-yet', { key: params.key });
      void reply.type('image/jpeg').header('cache-control', 'no-store').header('last-modified', new Date(picture.at).toUTCString());
      return picture.jpeg;
    },
    rules: async ({ site }) => {
      const rules = Object.entries(site.document.rules);
      const counts = await ruleCounts(database, site.id, new Date(clock.wall() - day));
      return { items: rules.map(([key, rule]) => ({ key, rule, ...(counts.get(key) ?? { firedLastDay: 0 }) })) };
    },
    mode: ({ site }) => ({ mode: site.mode, modes: [...site.document.site.modes] }),
    setMode: async ({ site, body, me, request }) => {
      const { modes } = site.document.site;
      if (!modes.includes(body.mode)) throw new Refusal('unknown-mode', { mode: body.mode, known: modes.join(', ') });
      if (body.mode !== site.mode) {
        await site.engine.accept({ kind: 'mode', mode: body.mode, by: me.name });
        await audit(site, me.name, request.ip, 'mode.set', { mode: body.mode });
      }
      return { mode: site.mode, modes: [...modes] };
    },
    secrets: ({ site }) => ({ items: [...secretUses(site.document)].map(([key, uses]) => secretReport(site, key, uses)) }),
    setSecret: async ({ site, params, body, me, request }) => {
      const uses = secretUses(site.document).get(params.key);
      if (!uses) throw new Refusal('secret-unused', { key: params.key });
      await site.vault.set(params.key, body.value, uses, new Date(clock.wall()));
      await audit(site, me.name, request.ip, 'secret.set', { key: params.key, uses });
      await site.secretWritten();
      return secretReport(site, params.key, uses);
    },
    issueHook: async ({ site, params, me, request }) => {
      if (!site.document.hooks[params.key]) throw new Refusal('unknown-item', { what: 'hook', key: params.key });
      const secret = newSecret();
      await writeHookAddress(database, site.id, params.key, secret, new Date(clock.wall()));
      await audit(site, me.name, request.ip, 'hook.issued', { hook: params.key });
      const path = `/in/${secret}`;
      return {
        path,
        address: `${site.document.site.addresses?.inside?.replace(/\/$/, '') ?? `${request.protocol}://${request.headers.host}`}${path}`,
      };
    },
  };
};

/** Every change names the revision it was made from: the document's own line, or If-Match. */
function checkRevision(site: SiteRuntime, document: SiteDocument | undefined, header: string | undefined): void {
  const given = header === undefined ? document?.revision : Number(header.replace(/^(W\/)?"?|"$/g, ''));
  if (given === undefined) throw new Refusal('revision-missing', { current: site.revision });
  if (given !== site.revision)
    throw new Refusal('revision-outdated', { current: site.revision, given: Number.isNaN(given) ? String(header).slice(0, 40) : given });
}
