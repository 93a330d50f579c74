import { type SiteDocument, sections } from '@causalis/contract';
import { dump } from 'js-yaml';

/** A document as YAML, in the order of the language, without empty sections. */
export function writeDocument(document: SiteDocument): string {
  const { causalis, revision, site } = document;
  const filled = sections.flatMap((section) => (Object.keys(document[section]).length > 0 ? [[section, document[section]] as const] : []));
  const ordered = { causalis, ...(revision === undefined ? {} : { revision }), site, ...Object.fromEntries(filled) };
  // Beyond the fourth level things are short: a zone's corners, an action's needs.
  return dump(ordered, { flowLevel: 4, lineWidth: 140, noRefs: true, quotingType: '"' });
}
