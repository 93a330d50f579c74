import { declarationOf, feedHost, type Section, type SiteDocument, sections, type WatchingChange } from '@causalis/contract';
import { watchingChanges } from '../vision/settings.js';

/** An item that goes on under another key. */
export interface Rename {
  readonly section: Section;
  readonly from: string;
  readonly to: string;
}

/** The items that a document says were called otherwise, where that is so: the old key is there and is given up. */
export function renamesOf(before: SiteDocument | undefined, after: SiteDocument): Rename[] {
  if (!before) return [];
  return sections.flatMap((section) =>
    Object.entries(after[section]).flatMap(([to, { was: from }]) =>
      from !== undefined && before[section][from] && !before[section][to] && !after[section][from] ? [{ section, from, to }] : [],
    ),
  );
}

/** A document as it is kept: what it says of former keys has been done. */
export function withoutFormerKeys(document: SiteDocument): SiteDocument {
  const settled = Object.fromEntries(
    sections.map((section) => [
      section,
      Object.fromEntries(Object.entries(document[section]).map(([key, { was: _, ...item }]) => [key, item])),
    ]),
  );
  return { ...document, ...settled } as SiteDocument;
}

/** What one document has that another has not. Paths are section/key; `site` is the head. */
export interface DocumentDiff {
  readonly added: string[];
  readonly changed: { path: string; fields: string[] }[];
  readonly removed: string[];
  readonly renamed: Rename[];
  /** Rules whose cooldowns begin afresh. */
  readonly afresh: string[];
  /** Hosts to which nothing of the site went before, with the item that goes there. */
  readonly newAddresses: string[];
  /** What becomes of the values by which cameras are watched. */
  readonly watching: WatchingChange[];
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** The fields in which two items differ. */
function fieldsOf(a: Record<string, unknown>, b: Record<string, unknown>): string[] {
  return [...new Set([...Object.keys(a), ...Object.keys(b)])].filter((field) => !same(a[field], b[field]));
}

/** The hosts that a document goes to, and who goes there. */
function hostsOf({ brokers, cameras, outputs }: SiteDocument): Map<string, string> {
  const hosts = new Map<string, string>();
  const add = (host: string, item: string) => {
    if (!hosts.has(host)) hosts.set(host, item);
  };
  for (const [key, { url }] of Object.entries(brokers)) add(new URL(url).host, `brokers/${key}`);
  for (const [key, { feeds }] of Object.entries(cameras))
    for (const feed of [feeds.main, feeds.small]) if (feed) add(feedHost(feed), `cameras/${key}`);
  for (const [key, output] of Object.entries(outputs)) {
    const { broker, goesTo } = declarationOf(output);
    if (!broker && output.kind !== 'relay') add(goesTo(output), `outputs/${key}`);
  }
  return hosts;
}

function newAddresses(before: SiteDocument | undefined, after: SiteDocument): string[] {
  const known = before ? hostsOf(before) : new Map();
  return [...hostsOf(after)].flatMap(([host, item]) => (known.has(host) ? [] : [`${item}: ${host}`]));
}

/** What applying `after` would change of `before`; with nothing before, everything is added. */
export function diffDocuments(before: SiteDocument | undefined, wanted: SiteDocument): DocumentDiff {
  const renamed = renamesOf(before, wanted);
  const after = withoutFormerKeys(wanted);
  const diff: DocumentDiff = {
    added: [],
    changed: [],
    removed: [],
    renamed,
    afresh: [],
    newAddresses: newAddresses(before, after),
    watching: before ? watchingChanges(before, after) : [],
  };
  const oldKey = (section: Section, key: string) => renamed.find((one) => one.section === section && one.to === key)?.from ?? key;
  const compare = (path: string, a: object | undefined, b: object | undefined) => {
    if (!a) diff.added.push(path);
    else if (!b) diff.removed.push(path);
    else if (!same(a, b)) diff.changed.push({ path, fields: fieldsOf(a as Record<string, unknown>, b as Record<string, unknown>) });
  };
  compare('site', before?.site, after.site);
  for (const section of sections) {
    const [a, b] = [before?.[section] ?? {}, after[section]];
    for (const [key, item] of Object.entries(b)) compare(`${section}/${key}`, a[oldKey(section, key)], item);
    const goOn = new Set(renamed.flatMap((one) => (one.section === section ? [one.from] : [])));
    for (const [key, item] of Object.entries(a)) if (!b[key] && !goOn.has(key)) compare(`${section}/${key}`, item, undefined);
  }
  for (const [key, rule] of Object.entries(after.rules)) {
    const old = before?.rules[oldKey('rules', key)];
    if (old && (!same(old.cause, rule.cause) || !same(old.cooldown, rule.cooldown))) diff.afresh.push(key);
  }
  return diff;
}
