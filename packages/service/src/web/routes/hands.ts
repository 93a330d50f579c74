import { declarationOf, type OutputReport } from '@causalis/contract';
import { stateKeys } from '@causalis/core';
import { outputHealth } from '../../ledger/deliveries.js';
import { lastFirings } from '../../ledger/firings.js';
import { readRuleHours } from '../../ledger/rule-hours.js';
import { Refusal } from '../../problem.js';
import type { SiteRuntime } from '../../site.js';
import { unfinished } from '../../unfinished.js';
import type { Audit } from '../audit.js';
import type { Handlers, WebParts } from './context.js';

const day = 86_400_000;

/** Rules and outputs at work, and what a hand does with them. */
export const handRoutes = ({ database, clock }: WebParts, audit: Audit): Handlers => ({
  rules: async ({ site }) => {
    const wall = clock.wall();
    const [fired, lastDay, lastWeek, findings] = await Promise.all([
      lastFirings(database, site.id),
      readRuleHours(database, site.id, new Date(wall - day)),
      readRuleHours(database, site.id, new Date(wall - 7 * day)),
      site.ruleFindings(),
    ]);
    return {
      items: Object.entries(site.document.rules).map(([key, rule]) => ({
        key,
        rule,
        ...fired.get(key),
        firedLastDay: lastDay.get(key)?.fired ?? 0,
        lastDay: lastDay.get(key) ?? {},
        lastWeek: lastWeek.get(key) ?? {},
        findings: findings.get(key) ?? [],
      })),
    };
  },
  tryRule: async ({ site, params, body, me, request }) => {
    const report = await site.hand.tryRule(params.key, body, me.name);
    if (!body.dry) await audit({ me, request }, site, 'rule.tried', { rule: params.key, regardless: body.regardless });
    return report;
  },
  outputs: async ({ site }) => {
    const { outputs } = site.document;
    const health = await outputHealth(database, site.id, Object.keys(outputs));
    return {
      items: Object.entries(outputs).map(([key, output]): OutputReport => {
        const { carries, goesTo } = declarationOf(output);
        const state = carries === 'set' ? site.engine.read(stateKeys.output(key)) : undefined;
        const shows = state?.readBack ?? state?.shown;
        return {
          key,
          kind: output.kind,
          carries,
          goesTo: goesTo(output),
          usedBy: usedBy(site, key),
          ...(health.get(key) ?? { open: 0 }),
          ...(shows ? { shows } : {}),
          ...(shows && state?.confirmed !== undefined ? { confirmed: state.confirmed } : {}),
        };
      }),
    };
  },
  testOutput: async ({ site, params, body, me, request }) => {
    const delivery = await site.hand.testOutput(params.key, body.to, me.name);
    await audit({ me, request }, site, 'output.tried', { output: params.key });
    return delivery;
  },
  setOutput: async ({ site, params, body, me, request }) => {
    const delivery = await site.hand.setOutput(params.key, body, me.name);
    await audit({ me, request }, site, 'output.set', { output: params.key, ...body });
    return delivery;
  },
  retry: ({ site, params }) => site.hand.retry(params.id),
  cancel: async ({ site, params, me, request }) => {
    const delivery = await site.hand.cancel(params.id);
    await audit({ me, request }, site, 'delivery.cancelled', { delivery: params.id });
    return delivery;
  },
  sendAgain: async ({ site, params, me, request }) => {
    const delivery = await site.hand.sendAgain(params.id);
    await audit({ me, request }, site, 'delivery.again', { delivery: params.id, as: delivery.id });
    return delivery;
  },
  unfinished: async ({ site }) => ({ findings: await unfinished(database, site.id, site.document, site.vault) }),
  mode: ({ site }) => ({ mode: site.mode, modes: [...site.document.site.modes] }),
  setMode: async ({ site, body, me, request }) => {
    const { modes } = site.document.site;
    if (!modes.includes(body.mode)) throw new Refusal('unknown-mode', { mode: body.mode, known: modes.join(', ') });
    if (body.mode !== site.mode) {
      await site.engine.accept({ kind: 'mode', mode: body.mode, by: me.name });
      await audit({ me, request }, site, 'mode.set', { mode: body.mode });
    }
    return { mode: site.mode, modes: [...modes] };
  },
});

/** Rules that send over an output, and members who are reached over it. */
function usedBy({ document }: SiteRuntime, key: string): string[] {
  const members = Object.entries(document.members).flatMap(([name, { ways }]) => (ways.some(({ over }) => over === key) ? [name] : []));
  const rules = Object.entries(document.rules).flatMap(([name, { actions }]) =>
    Object.values(actions).some(
      ({ call, set, tell }) => call === key || set === key || (tell ?? []).some((member) => members.includes(member)),
    )
      ? [name]
      : [],
  );
  return [...members.map((name) => `members/${name}`), ...rules.map((name) => `rules/${name}`)];
}
