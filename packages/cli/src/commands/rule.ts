import type { AnswerOf } from '@causalis/contract';
import { countsText, dateText, findingText, guardText, heldText, ruleText } from '@causalis/words';
import type { Command } from 'commander';
import { print } from '../print.js';
import { type AtSite, at, verb } from './at-site.js';

type RuleRow = AnswerOf<'rules'>['items'][number];

function rowText({ key, rule, lastFired, lastDay, lastWeek, findings }: RuleRow, timezone: string): string {
  return [
    `${key} (${rule.active ? 'active' : 'off'}, ${rule.priority})`,
    `  ${ruleText(rule)}`,
    `  ${lastFired ? `last fired ${dateText(lastFired, timezone)}` : 'never fired'}; in the last day ${countsText(lastDay)}; in the last week ${countsText(lastWeek)}`,
    ...findings.map((finding) => `  ${finding.level}: ${findingText(finding).line}`),
  ].join('\n');
}

function trialText({ verdict, actions, event }: AnswerOf<'tryRule'>, timezone: string): string {
  const guards = verdict.guards.map((guard) => `  ${guard.holds ? '✓' : '✗'} ${guardText(guard)}`);
  if (verdict.verdict === 'held')
    return [`Held: ${heldText(verdict, timezone)}`, ...guards, 'With --regardless its guards stand aside.'].join('\n');
  if (event) return [`Fired as a test: ${verdict.title}`, ...guards, `See what comes of it: causalis event chain ${event}`].join('\n');
  const does = actions.flatMap(({ name, verb: what, after, reason, does: said }) => [
    `  ${name}: ${what}${after.length > 0 ? ` after ${after.join(', ')}` : ''}${reason ? `, skipped (${reason})` : ''}`,
    ...said.map((line) => `    ${line}`),
  ]);
  return [`It would fire: ${verdict.title}`, ...guards, ...does, 'Nothing was sent.'].join('\n');
}

/** Switches a rule on or off: one item of the document, written as the next revision. */
async function switchRule({ client, params, options }: AtSite, key: string, active: boolean): Promise<void> {
  const answer = await client.raw('item', { params: { ...params, section: 'rules', key } });
  const headers = { 'if-match': answer.headers.get('etag') ?? '' };
  const rule = (await answer.json()) as Record<string, unknown>;
  const report = await client.call('putItem', { params: { ...params, section: 'rules', key }, body: { ...rule, active }, headers });
  print(options, report, () =>
    report.changed.length === 0
      ? `${key} is ${active ? 'on' : 'off'} already.`
      : `${key} is ${active ? 'on' : 'off'} since revision ${report.revision}.`,
  );
}

/** `rule list`, `on`, `off` and `fire`. */
export function ruleCommands(program: Command): void {
  const rule = program.command('rule').description('rules: list, on, off, fire');
  verb(rule, 'list', 'each rule as a sentence, how often it fired, and what held it', 'rule list').action(
    at(async ({ client, params, site, options }) => {
      const { items } = await client.call('rules', { params });
      print(options, { items }, () => items.map((row) => rowText(row, site.timezone)).join('\n\n') || 'The site has no rules yet.');
    }),
  );
  verb(rule, 'on <key>', 'switch a rule on', 'rule on night-visitor').action(at((hand, key: string) => switchRule(hand, key, true)));
  verb(rule, 'off <key>', 'switch a rule off', 'rule off night-visitor').action(at((hand, key: string) => switchRule(hand, key, false)));
  verb(
    rule,
    'fire <key>',
    'fire a rule by hand, marked as a test wherever it arrives',
    'rule fire night-visitor --dry',
    'rule fire night-visitor --regardless',
  )
    .option('--dry', 'only say what it would do: nothing is sent')
    .option('--regardless', 'its guards stand aside')
    .action(
      at(async ({ client, params, site, options }, key: string) => {
        const body = { dry: options.dry !== undefined, regardless: options.regardless !== undefined };
        const report = await client.call('tryRule', { params: { ...params, key }, body });
        print(options, report, () => trialText(report, site.timezone));
        if (report.verdict.verdict === 'held') process.exitCode = 1;
      }),
    );
}
