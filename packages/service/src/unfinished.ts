import type { Finding, SiteDocument } from '@causalis/contract';
import { checkDocument, sourcesNamed } from '@causalis/core';
import { attemptText } from '@causalis/words';
import type { Database } from './ledger/database.js';
import { outputHealth } from './ledger/deliveries.js';
import { kindsSeen } from './ledger/events.js';
import { secretUses, type Vault } from './secrets/vault.js';

/** Secrets that are not set, or were given for another place. */
export function secretFindings(document: SiteDocument, vault: Vault): Finding[] {
  return [...secretUses(document)].flatMap(([value, uses]): Finding[] => {
    const bound = vault.boundOf(value);
    const path = ['secrets', value];
    if (!bound) return [{ level: 'warning', code: 'secret-not-set', path, values: { value } }];
    return uses
      .filter((use) => !bound.includes(use))
      .map((use) => ({ level: 'warning', code: 'secret-not-bound', path, values: { value, use } }));
  });
}

/** What of a site is not finished: what the check says, and what only a running site knows. */
export async function unfinished(database: Database, site: number, document: SiteDocument, vault: Vault): Promise<Finding[]> {
  const hint = (code: string, path: Finding['path'], values: Finding['values']): Finding => ({ level: 'hint', code, path, values });
  const [seen, health] = await Promise.all([kindsSeen(database, site), outputHealth(database, site, Object.keys(document.outputs))]);
  const outputs = [...health].flatMap(([key, { lastDelivered, lastFailed }]): Finding[] => {
    const path = ['outputs', key];
    if (lastFailed && (!lastDelivered || lastFailed.created > lastDelivered)) {
      const last = lastFailed.attempts.at(-1);
      const { what, mend } = last ? attemptText(last) : { what: lastFailed.state, mend: '' };
      return [{ level: 'warning', code: 'last-failed', path, values: { reason: what, mend: mend || 'See its deliveries.' } }];
    }
    return lastDelivered ? [] : [hint('never-tested', path, { value: key })];
  });
  const rules = Object.entries(document.rules).flatMap(([key, rule]): Finding[] => {
    if (!rule.active) return [hint('draft', ['rules', key], {})];
    const sources = [...(rule.cause.at ? sourcesNamed(document, rule.cause.at) : [])];
    // What is only lost or changed now and then has not been forgotten in a setting.
    const expected = rule.cause.event.filter((kind) => kind === 'motion.began' || kind === 'hook.called');
    return expected.flatMap((kind) =>
      sources
        .filter((source) => !seen.has(`${kind} ${source}`))
        .map((source) => hint('never-seen', ['rules', key, 'cause'], { source, event: kind })),
    );
  });
  return [...checkDocument(document), ...secretFindings(document, vault), ...outputs, ...rules];
}
