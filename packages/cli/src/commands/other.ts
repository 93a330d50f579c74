import { writeFileSync } from 'node:fs';
import type { AnswerOf } from '@causalis/contract';
import { brokenText, cameraText, clockText, dateText, deliveryText, ruleText } from '@causalis/words';
import type { Command } from 'commander';
import { print, table } from '../print.js';
import { readSecretValue } from '../secret-value.js';
import { type CommonOptions, Complaint, connect, siteOf } from '../session.js';

type Client = ReturnType<typeof connect>;
type SiteInHand = Awaited<ReturnType<typeof siteOf>>;

/** An action of a command at a site, with its options in hand. */
const at =
  <A extends unknown[]>(
    job: (client: Client, site: SiteInHand, options: CommonOptions & Record<string, string>, ...args: A) => Promise<void>,
  ) =>
  async (...given: unknown[]): Promise<void> => {
    const command = given.at(-1) as Command;
    const client = connect();
    const options = command.optsWithGlobals<CommonOptions & Record<string, string>>();
    await job(client, await siteOf(client, options), options, ...(given.slice(0, -2) as A));
  };

function statusText(status: AnswerOf<'status'>): string {
  const { site, cameras, rules, deliveries } = status;
  return [
    `${site.name} (${site.key}), revision ${site.revision}, mode ${status.mode}`,
    `Rules: ${rules.active} active, ${rules.inactive} off. Deliveries: ${deliveries.open} open, ${deliveries.failedLastDay} failed in the last day.`,
    ...cameras.map((camera) => `${camera.key}: ${cameraText(camera.state)} since ${clockText(camera.state.since, site.timezone)}`),
    `Service ${status.version}, running since ${dateText(status.started, site.timezone)}`,
  ].join('\n');
}

export function statusCommand(program: Command): void {
  program
    .command('status')
    .description('the site at a glance: mode, cameras, rules, deliveries')
    .addHelpText('after', '\nExample:\n  causalis status')
    .action(
      at(async (client, site, options) => {
        const status = await client.call('status', { params: { site: site.key } });
        print(options, status, () => statusText(status));
      }),
    );
}

export function cameraCommands(program: Command): void {
  const camera = program.command('camera').description('cameras: list, still');
  camera
    .command('list')
    .description('each camera with its state')
    .addHelpText('after', '\nExample:\n  causalis camera list')
    .action(
      at(async (client, site, options) => {
        const { items } = await client.call('cameras', { params: { site: site.key } });
        const rows = items.map(({ key, title, state }) => [
          key,
          title,
          state.width ? `${state.width}x${state.height}` : '-',
          state.rate === undefined ? '-' : `${state.rate}/s`,
          [cameraText(state), brokenText(state)].filter(Boolean).join('; '),
        ]);
        print(options, { items }, () => table(['CAMERA', 'TITLE', 'SIZE', 'RATE', 'STATE'], rows) || 'The site has no cameras yet.');
      }),
    );
  camera
    .command('still <key>')
    .description('save the newest picture of a camera')
    .option('--out <file>', 'where to', 'still.jpg')
    .addHelpText('after', '\nExample:\n  causalis camera still gatehouse --out drive.jpg')
    .action(
      at(async (client, site, options, key: string) => {
        const answer = await client.raw('cameraStill', { params: { site: site.key, key } });
        const picture = Buffer.from(await answer.arrayBuffer());
        try {
          writeFileSync(options.out, picture);
        } catch (error) {
          throw new Complaint(`${options.out} cannot be written: ${(error as Error).message}`);
        }
        print(options, { file: options.out, bytes: picture.length }, () => `${options.out}: ${picture.length} bytes`);
      }),
    );
}

export function ruleCommands(program: Command): void {
  const rule = program.command('rule').description('rules: list');
  rule
    .command('list')
    .description('each rule as a sentence, and when it last fired')
    .addHelpText('after', '\nExample:\n  causalis rule list')
    .action(
      at(async (client, site, options) => {
        const { items } = await client.call('rules', { params: { site: site.key } });
        print(options, { items }, () =>
          items.length === 0
            ? 'The site has no rules yet.'
            : items
                .map(
                  ({ key, rule: one, lastFired, firedLastDay }) =>
                    `${key} (${one.active ? 'active' : 'off'}, ${one.priority})\n  ${ruleText(one)}\n  ${lastFired ? `last fired ${dateText(lastFired, site.timezone)}, ${firedLastDay} times in the last day` : 'never fired'}`,
                )
                .join('\n\n'),
        );
      }),
    );
}

export function deliveryCommands(program: Command): void {
  const delivery = program.command('delivery').description('deliveries: list, retry');
  delivery
    .command('list')
    .description('deliveries, newest first')
    .option('--state <state>', 'only this state: waiting, sending, retrying, delivered, failed, expired, cancelled')
    .option('--rule <key>', 'only of this rule')
    .option('--limit <number>', 'how many', '20')
    .addHelpText('after', '\nExample:\n  causalis delivery list --state retrying')
    .action(
      at(async (client, site, options) => {
        const query = {
          limit: options.limit,
          ...(options.state ? { state: options.state as 'failed' } : {}),
          ...(options.rule ? { rule: options.rule } : {}),
        };
        const page = await client.call('deliveries', { params: { site: site.key }, query });
        const line = (one: (typeof page.items)[number]) =>
          `${clockText(one.created, site.timezone)}  ${one.state}, ${one.attempts.length} attempts: ${deliveryText(one)}\n          ${one.id}  ${one.rule}/${one.action}`;
        print(options, page, () => page.items.map(line).join('\n') || 'There are no such deliveries.');
      }),
    );
  delivery
    .command('retry <id>')
    .description('try a delivery now that has not arrived')
    .addHelpText('after', '\nExample:\n  causalis delivery retry 019a...')
    .action(
      at(async (client, site, options, id: string) => {
        const one = await client.call('retry', { params: { site: site.key, id } });
        print(options, one, () => `${deliveryText(one)}: is tried now, attempt ${one.attempts.length + 1}`);
      }),
    );
}

export function modeCommands(program: Command): void {
  const mode = program.command('mode').description('the mode of the site: show, set');
  const text = ({ mode: now, modes }: AnswerOf<'mode'>) => `${now} (of ${modes.join(', ')})`;
  mode
    .command('show')
    .description('the mode now, and the modes that the site can have')
    .addHelpText('after', '\nExample:\n  causalis mode show')
    .action(
      at(async (client, site, options) => {
        const report = await client.call('mode', { params: { site: site.key } });
        print(options, report, () => text(report));
      }),
    );
  mode
    .command('set <mode>')
    .description('set the mode of the site')
    .addHelpText('after', '\nExample:\n  causalis mode set open')
    .action(
      at(async (client, site, options, wanted: string) => {
        const report = await client.call('setMode', { params: { site: site.key }, body: { mode: wanted } });
        print(options, report, () => text(report));
      }),
    );
}

export function secretCommands(program: Command): void {
  const secret = program.command('secret').description('secrets: set, list');
  secret
    .command('set <key>')
    .description('write a secret, read from the keyboard or the standard input; it is never shown again')
    .addHelpText('after', '\nIt is bound to where the document uses it now.\n\nExample:\n  causalis secret set mail < password.txt')
    .action(
      at(async (client, site, options, key: string) => {
        const value = await readSecretValue(key);
        const report = await client.call('setSecret', { params: { site: site.key, key }, body: { value } });
        print(options, report, () => `${key} is set, for ${report.bound.join(' and ')}`);
      }),
    );
  secret
    .command('list')
    .description('names of secrets and where each may be sent, never a value')
    .addHelpText('after', '\nExample:\n  causalis secret list')
    .action(
      at(async (client, site, options) => {
        const { items } = await client.call('secrets', { params: { site: site.key } });
        const rows = items.map(({ key, set, uses, bound }) => [
          key,
          set ? (uses.every((use) => bound.includes(use)) ? 'set' : 'set for another place') : 'not set',
          uses.join(', '),
        ]);
        print(options, { items }, () => table(['SECRET', 'STATE', 'USED FOR'], rows) || 'The document uses no secrets.');
      }),
    );
}

export function hookCommands(program: Command): void {
  const hook = program.command('hook').description('hooks: issue');
  hook
    .command('issue <key>')
    .description('a new secret address of a hook, shown once; the one before it ends')
    .addHelpText('after', '\nExample:\n  causalis hook issue face-desk')
    .action(
      at(async (client, site, options, key: string) => {
        const issued = await client.call('issueHook', { params: { site: site.key, key } });
        print(options, issued, () => `${issued.address}\nTreat it as a password: it is not shown again.`);
      }),
    );
}
