import { type SiteDocument, sections } from '@causalis/contract';

/** What one document has that another has not. Paths are section/key; `site` is the head. */
export interface DocumentDiff {
  readonly added: string[];
  readonly changed: { path: string; fields: string[] }[];
  readonly removed: string[];
  /** Rules whose cooldowns begin afresh. */
  readonly afresh: string[];
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** The fields in which two items differ. */
function fieldsOf(a: Record<string, unknown>, b: Record<string, unknown>): string[] {
  return [...new Set([...Object.keys(a), ...Object.keys(b)])].filter((field) => !same(a[field], b[field]));
}

/** What applying `after` would change of `before`; with nothing before, everything is added. */
export function diffDocuments(before: SiteDocument | undefined, after: SiteDocument): DocumentDiff {
  const diff: DocumentDiff = { added: [], changed: [], removed: [], afresh: [] };
  const compare = (path: string, a: object | undefined, b: object | undefined) => {
    if (!a) diff.added.push(path);
    else if (!b) diff.removed.push(path);
    else if (!same(a, b)) diff.changed.push({ path, fields: fieldsOf(a as Record<string, unknown>, b as Record<string, unknown>) });
  };
  compare('site', before?.site, after.site);
  for (const section of sections) {
    const [a, b] = [before?.[section] ?? {}, after[section]];
    for (const key of new Set([...Object.keys(a), ...Object.keys(b)])) compare(`${section}/${key}`, a[key], b[key]);
  }
  for (const [key, rule] of Object.entries(after.rules)) {
    const old = before?.rules[key];
    if (old && (!same(old.cause, rule.cause) || !same(old.cooldown, rule.cooldown))) diff.afresh.push(key);
  }
  return diff;
}
