import type { Delivery } from '@causalis/contract';
import { attemptText, clockText, deliveryText } from '@causalis/words';
import type { Command } from 'commander';
import { print, printLine } from '../print.js';
import { at, verb } from './at-site.js';

function rowText(one: Delivery, timezone: string): string {
  const last = one.attempts.at(-1);
  const said = last && one.state !== 'delivered' ? `: ${attemptText(last).what}` : '';
  const tries = `${one.attempts.length} attempt${one.attempts.length === 1 ? '' : 's'}`;
  return [
    `${clockText(one.created, timezone)}  ${one.state}, ${tries}${said}`,
    `          ${deliveryText(one)}${one.test ? ' (test)' : ''}${one.again ? ` (sent again: ${one.again})` : ''}`,
    `          ${one.id}  ${one.rule}/${one.action}`,
  ].join('\n');
}

/** `delivery list`, `follow`, `retry`, `cancel` and `again`. */
export function deliveryCommands(program: Command): void {
  const delivery = program.command('delivery').description('deliveries: list, follow, retry, cancel, again');
  verb(delivery, 'list', 'deliveries, newest first', 'delivery list --state retrying', 'delivery list --output mail --limit 5')
    .option('--state <state>', 'only this state: waiting, sending, retrying, delivered, failed, expired, cancelled')
    .option('--rule <key>', 'only of this rule')
    .option('--output <key>', 'only over this output')
    .option('--recipient <address>', 'only to this recipient')
    .option('--limit <number>', 'how many', '20')
    .action(
      at(async ({ client, params, site, options }) => {
        const { state, rule, output, recipient, limit } = options;
        const query = { limit, state: state as 'failed' | undefined, rule, output, recipient };
        const page = await client.call('deliveries', { params, query: query as never });
        print(options, page, () => page.items.map((one) => rowText(one, site.timezone)).join('\n') || 'There are no such deliveries.');
      }),
    );
  verb(delivery, 'follow', 'what becomes of deliveries from now on, until Ctrl-C', 'delivery follow').action(
    at(async ({ client, site, options }) => {
      const end = new AbortController();
      process.once('SIGINT', () => end.abort());
      for await (const message of client.follow(site.key, end.signal)) {
        if (message.kind !== 'delivery') continue;
        const { delivery: one } = message;
        printLine(
          options,
          one,
          () => `${clockText(one.created, site.timezone)}  ${one.state}: ${deliveryText(one)}  ${one.rule}/${one.action}`,
        );
      }
    }),
  );
  verb(delivery, 'retry <id>', 'try a delivery now that has not arrived', 'delivery retry 019a...').action(
    at(async ({ client, params, options }, id: string) => {
      const one = await client.call('retry', { params: { ...params, id } });
      print(options, one, () => `${deliveryText(one)}: is tried now, attempt ${one.attempts.length + 1}`);
    }),
  );
  verb(delivery, 'cancel <id>', 'cancel a delivery that waits or retries', 'delivery cancel 019a...').action(
    at(async ({ client, params, options }, id: string) => {
      const one = await client.call('cancel', { params: { ...params, id } });
      print(options, one, () => `${deliveryText(one)}: cancelled`);
    }),
  );
  verb(delivery, 'again <id>', 'send what was sent once more, as a delivery of its own', 'delivery again 019a...').action(
    at(async ({ client, params, options }, id: string) => {
      const one = await client.call('sendAgain', { params: { ...params, id } });
      print(options, one, () => `${deliveryText(one)}: is sent again, as ${one.id}`);
    }),
  );
}
