import type { SecretReport } from '@causalis/contract';
import { countDeliveries } from '../../ledger/deliveries.js';
import { Refusal } from '../../problem.js';
import { secretUses } from '../../secrets/vault.js';
import type { SiteRuntime } from '../../site.js';
import type { Audit } from '../audit.js';
import type { Handlers, WebParts } from './context.js';

const day = 86_400_000;

function secretReport(site: SiteRuntime, key: string, uses: readonly string[]): SecretReport {
  const bound = site.vault.boundOf(key);
  return { key, set: bound !== undefined, uses: [...uses], bound: [...(bound ?? [])] };
}

/** The site at a glance, its cameras and its secrets. */
export const siteRoutes = ({ database, clock, version, started }: WebParts, audit: Audit): Handlers => ({
  status: async ({ site }) => {
    const rules = Object.values(site.document.rules);
    const active = rules.filter((rule) => rule.active).length;
    return {
      site: { key: site.key, name: site.name, timezone: site.timezone, revision: site.revision },
      mode: site.mode,
      cameras: Object.keys(site.document.cameras).map((key) => site.cameras.report(key)),
      rules: { active, inactive: rules.length - active },
      deliveries: await countDeliveries(database, site.id, new Date(clock.wall() - day)),
      started: started.toISOString(),
      version,
    };
  },
  secrets: ({ site }) => ({ items: [...secretUses(site.document)].map(([key, uses]) => secretReport(site, key, uses)) }),
  setSecret: async ({ site, params, body, me, request }) => {
    const uses = secretUses(site.document).get(params.key);
    if (!uses) throw new Refusal('secret-unused', { key: params.key });
    await site.vault.set(params.key, body.value, uses, new Date(clock.wall()));
    await audit({ me, request }, site, 'secret.set', { key: params.key, uses });
    await site.secretWritten();
    return secretReport(site, params.key, uses);
  },
});
