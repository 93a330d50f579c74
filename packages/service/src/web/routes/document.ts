import type { ApplyReport, Finding, SiteDocument } from '@causalis/contract';
import { diffDocuments } from '@causalis/core';
import { writeDocument } from '@causalis/document';
import { findingText } from '@causalis/words';
import { examineText, examineValue } from '../../examine/examine.js';
import { listRevisions, readRevision } from '../../ledger/documents.js';
import { Refusal, unknownItem } from '../../problem.js';
import { secretUses } from '../../secrets/vault.js';
import type { SiteRuntime } from '../../site.js';
import { secretFindings } from '../../unfinished.js';
import type { Audit } from '../audit.js';
import type { Asked, Handlers, WebParts } from './context.js';

/** The document of a site: the whole, its items, its revisions. */
export const documentRoutes = ({ database, sites }: WebParts, audit: Audit): Handlers => {
  /** A text with everything that can be said of it: what the check says, and at a running site its secrets too. */
  const examine = async (body: unknown, site: SiteRuntime | undefined) => {
    const text = typeof body === 'string' ? body : '';
    return await examineText(text, site ? (document) => secretFindings(document, site.vault) : () => []);
  };

  const putInForce = async (
    asked: Pick<Asked<'apply'>, 'me' | 'request'>,
    document: SiteDocument,
    findings: Finding[],
    what: string,
  ): Promise<ApplyReport> => {
    const { site, changed } = await sites.apply(document, asked.me.name);
    if (changed.length > 0) await audit(asked, site, what, { revision: site.revision, changed });
    return { revision: site.revision, changed, findings };
  };

  /** The document in force with one item written anew or left out, checked as a whole. */
  const withItem = (site: SiteRuntime, section: string, key: string, item: unknown) => {
    const { [section as 'rules']: items, ...rest } = site.document;
    const { [key]: _, ...others } = items as Record<string, unknown>;
    const order = Object.keys(items);
    const next =
      item === undefined
        ? others
        : Object.fromEntries([...new Set([...order, key])].map((name) => [name, name === key ? item : others[name]]));
    const { document, findings } = examineValue({ ...rest, [section]: next });
    const here = findings.filter(({ level, path }) => level === 'error' || (path[0] === section && path[1] === key));
    const errors = here.filter(({ level }) => level === 'error');
    if (!document || errors.length > 0) throw refusedDocument(errors.length > 0 ? errors : here);
    return { document, findings: here };
  };

  return {
    document: ({ site, request, reply }) => {
      void reply.header('etag', `"${site.revision}"`);
      if (!/yaml/.test(request.headers.accept ?? '')) return site.document;
      return asYaml(reply, site.document);
    },
    check: async ({ body, params }) => ({ findings: (await examine(body, sites.find(params.site))).findings }),
    apply: async (asked) => {
      const { body, params, request } = asked;
      const running = sites.find(params.site);
      const { document, findings } = await examine(body, running);
      const errors = findings.filter(({ level }) => level === 'error');
      if (!document || errors.length > 0) throw refusedDocument(findings);
      if (document.site.key !== params.site) throw new Refusal('unknown-site', { site: params.site });
      if (running) checkRevision(running, document, request.headers['if-match']);
      return await putInForce(asked, document, findings, 'document.applied');
    },
    preview: async ({ body, params }) => {
      const running = sites.find(params.site);
      const { document, findings } = await examine(body, running);
      if (!document) throw refusedDocument(findings);
      const newUses = [...secretUses(document)].flatMap(([key, uses]) =>
        uses.filter((use) => !running?.vault.boundOf(key)?.includes(use)).map((use) => `${key}: ${use}`),
      );
      return { ...diffDocuments(running?.document, document), newUses, findings };
    },
    revisions: async ({ site, query }) => ({ items: await listRevisions(database, site.id, query.limit) }),
    revision: async ({ site, params, reply }) => {
      const document = await readRevision(database, site.id, params.number);
      if (!document) throw unknownItem('revision', String(params.number));
      return asYaml(reply, { ...document, revision: params.number });
    },
    restore: async ({ site, params, me, request }) => {
      checkRevision(site, undefined, request.headers['if-match']);
      const { changed } = await sites.restore(site, params.number, me.name);
      await audit({ me, request }, site, 'document.restored', { revision: site.revision, from: params.number });
      return { revision: site.revision, changed, findings: [] };
    },
    item: ({ site, params, reply }) => {
      void reply.header('etag', `"${site.revision}"`);
      return itemOf(site, params.section, params.key);
    },
    putItem: async (asked) => {
      const { site, params, body, request } = asked;
      checkRevision(site, undefined, request.headers['if-match']);
      const { document, findings } = withItem(site, params.section, params.key, body);
      return await putInForce(asked, document, findings, 'item.written');
    },
    removeItem: async (asked) => {
      const { site, params, request } = asked;
      itemOf(site, params.section, params.key);
      checkRevision(site, undefined, request.headers['if-match']);
      const { document, findings } = withItem(site, params.section, params.key, undefined);
      return await putInForce(asked, document, findings, 'item.removed');
    },
  };
};

function asYaml(reply: Asked<'document'>['reply'], document: SiteDocument): string {
  void reply.type('application/yaml; charset=utf-8').serializer((text: unknown) => String(text));
  return writeDocument(document);
}

function itemOf(site: SiteRuntime, section: keyof SiteDocument & string, key: string): Record<string, unknown> {
  const items = site.document[section as 'rules'];
  if (!Object.hasOwn(items, key)) throw unknownItem(`item of ${section}`, key, Object.keys(items));
  return items[key];
}

function refusedDocument(findings: readonly Finding[]): Refusal {
  const errors = findings.filter(({ level }) => level === 'error');
  return new Refusal('document-refused', { count: errors.length, first: errors[0] ? findingText(errors[0]).line : '' }, findings);
}

/** Every change names the revision it was made from: the document's own line, or If-Match. */
function checkRevision(site: SiteRuntime, document: SiteDocument | undefined, header: string | undefined): void {
  const given = header === undefined ? document?.revision : Number(header.replace(/^(W\/)?"?|"?$/g, ''));
  if (given === undefined) throw new Refusal('revision-missing', { current: site.revision });
  if (given !== site.revision)
    throw new Refusal('revision-outdated', { current: site.revision, given: Number.isNaN(given) ? String(header).slice(0, 40) : given });
}
