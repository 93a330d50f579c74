import { randomUUID } from 'node:crypto';
import type { EventRow } from '@causalis/contract';
import { clockText, eventText, heldText } from '@causalis/words';
import type { Command } from 'commander';
import { chainText } from '../chain-text.js';
import { print, printLine } from '../print.js';
import { type CommonOptions, Complaint, connect, siteOf } from '../session.js';

function verdictsText(event: EventRow, timezone: string): string {
  const fired = event.verdicts.filter(({ verdict }) => verdict === 'fired');
  if (fired.length > 0) return `fired ${fired.map(({ rule }) => rule).join(', ')}`;
  const held = event.verdicts[0];
  return held ? `held ${held.rule}: ${heldText(held, timezone)}` : 'no rule';
}

/** The newest event for `last`, or the id as given. */
async function eventId(client: ReturnType<typeof connect>, site: string, given: string): Promise<string> {
  if (given !== 'last') return given;
  const { items } = await client.call('events', { params: { site }, query: { limit: 1, fired: 'true' } });
  if (!items[0]) throw new Complaint('No event has set off a rule yet.');
  return items[0].id;
}

/** `event list`, `follow`, `send` and `chain`. */
export function eventCommands(program: Command): void {
  const event = program.command('event').description('what happened: list, follow, send, chain');

  event
    .command('list')
    .description('events, newest first')
    .option('--kind <kind>', 'only this kind, such as motion.began')
    .option('--source <key>', 'only this camera or hook')
    .option('--rule <key>', 'only events that this rule fired on')
    .option('--from <instant>', 'accepted from then on, such as 2026-11-23T18:00:00Z')
    .option('--until <instant>', 'accepted before then')
    .option('--fired', 'only events that set off a rule')
    .option('--limit <number>', 'how many', '20')
    .addHelpText('after', '\nExample:\n  causalis event list --source gatehouse --fired')
    .action(
      async (
        given: { kind?: string; source?: string; rule?: string; from?: string; until?: string; fired?: boolean; limit: string },
        command: Command,
      ) => {
        const options = command.optsWithGlobals<CommonOptions>();
        const client = connect();
        const site = await siteOf(client, options);
        const query = {
          limit: given.limit,
          ...(given.kind ? { kind: given.kind as 'motion.began' } : {}),
          ...(given.source ? { source: given.source } : {}),
          ...(given.rule ? { rule: given.rule } : {}),
          ...(given.from ? { from: given.from } : {}),
          ...(given.until ? { until: given.until } : {}),
          ...(given.fired ? { fired: 'true' } : {}),
        };
        const page = await client.call('events', { params: { site: site.key }, query });
        print(options, page, () =>
          page.items.length === 0
            ? 'Nothing has happened yet.'
            : page.items
                .map(
                  (row) =>
                    `${clockText(row.time, site.timezone)}  ${eventText(row, row.title)}${row.test ? ' (test)' : ''}\n          ${row.id}  ${verdictsText(row, site.timezone)}`,
                )
                .join('\n'),
        );
      },
    );

  event
    .command('follow')
    .description('what happens from now on, until Ctrl-C; goes on by itself after an interruption')
    .addHelpText('after', '\nExample:\n  causalis event follow --json | grep motion.began')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const client = connect();
      const site = await siteOf(client, options);
      const end = new AbortController();
      process.once('SIGINT', () => end.abort());
      let last: number | undefined;
      const show = (row: EventRow) => {
        if (last !== undefined && row.number < last) return;
        last = row.number;
        printLine(
          options,
          row,
          () => `${clockText(row.time, site.timezone)}  ${eventText(row, row.title)}: ${verdictsText(row, site.timezone)}`,
        );
      };
      for await (const message of client.follow(site.key, end.signal)) {
        if (message.kind === 'event') show(message.event);
        if (message.kind !== 'reset') continue;
        // At the first connection this is where following begins; after a restart it is what was missed.
        const { items } = await client.call('events', {
          params: { site: site.key },
          query: last === undefined ? { limit: 1 } : { limit: 200, afterNumber: last },
        });
        if (last === undefined) last = items[0]?.number ?? 0;
        else for (const row of items.reverse()) show(row);
      }
    });

  event
    .command('send <kind> <source>')
    .description('send an event by hand, such as hook.called face-desk; it is taken as if it had happened')
    .option('--mark <zone>', 'the zone')
    .option('--label <label>', 'what was seen')
    .option('--who <name>', 'who it is about')
    .option('--sure <share>', 'confidence, 0 to 1')
    .option('--time <time>', 'when it happened (ISO 8601)')
    .option('--id <id>', 'the id of the event: the same id is taken once')
    .option('--test', 'mark it as a test wherever it arrives')
    .addHelpText('after', '\nExample:\n  causalis event send hook.called face-desk --who "Head gardener" --sure 0.9')
    .action(async (kind: string, source: string, given: Record<string, string | boolean | undefined>, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const client = connect();
      const site = await siteOf(client, options);
      const section = kind.startsWith('hook.')
        ? 'hooks'
        : kind.startsWith('input.')
          ? 'inputs'
          : kind.startsWith('mode.')
            ? 'site'
            : 'cameras';
      const text = (name: string) => (typeof given[name] === 'string' ? { [name]: given[name] } : {});
      const body = {
        specversion: '1.0',
        id: typeof given.id === 'string' ? given.id : randomUUID(),
        source: 'causalis/command-line',
        type: kind,
        subject: source.includes('/') ? source : `${section}/${source}`,
        ...text('time'),
        data: {
          ...text('mark'),
          ...text('label'),
          ...text('who'),
          ...(given.sure === undefined ? {} : { sure: Number(given.sure) }),
          ...(given.test ? { test: true } : {}),
        },
      };
      // What is sent is checked by the service, word by word: its findings say what is wrong.
      const { items } = await client.call('sendEvents', { params: { site: site.key }, body: body as never });
      print(
        options,
        items[0],
        () =>
          `${items[0].repeated ? 'Taken before' : 'Taken'} as number ${items[0].number}: ${items[0].id}\nSee what came of it: causalis event chain ${items[0].id}`,
      );
    });

  event
    .command('chain <id>')
    .description('from cause to effect: one event with its verdicts, firings and deliveries; last for the newest that fired')
    .addHelpText('after', '\nExample:\n  causalis event chain last')
    .action(async (given: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const client = connect();
      const site = await siteOf(client, options);
      const chain = await client.call('chain', { params: { site: site.key, id: await eventId(client, site.key, given) } });
      print(options, chain, () => chainText(chain));
    });
}
