import type { Delivery, LightValue } from '@causalis/contract';
import { attemptText, clockText, durationText, lightText, outputKindText, stepText } from '@causalis/words';
import type { Command } from 'commander';
import { print, table } from '../print.js';
import { Complaint } from '../session.js';
import { at, verb } from './at-site.js';

/** A test as its steps: what was passed, how long it took, and the mend at the failing one. */
function testText(delivery: Delivery): string {
  const attempt = delivery.attempts.at(-1);
  const steps = (attempt?.steps ?? []).map(
    ({ step, tookMs, passed }) => `  ${passed ? '✓' : '✗'} ${stepText(step).padEnd(22)} ${durationText(tookMs).padStart(8)}`,
  );
  const told = delivery.receipts.map(({ value }) => `  ✓ read back: ${value}`);
  const { what, mend } = attempt ? attemptText(attempt) : { what: delivery.state, mend: '' };
  const to = delivery.recipient ? ` to ${delivery.recipient}` : '';
  const end = delivery.state === 'delivered' ? `Delivered${to}: ${what}` : `Failed${to}: ${what}. ${mend}`;
  return [...steps, ...told, end].join('\n');
}

/** What is asked of a light: `on`, `off`, or a level such as `40%`. */
function lightValue(text: string): LightValue {
  if (text === 'on' || text === 'off') return { power: text === 'on' };
  const level = /^(\d{1,3})%$/.exec(text);
  if (level && Number(level[1]) <= 100) return { power: Number(level[1]) > 0, level: Number(level[1]) / 100 };
  throw new Complaint(`${text} is nothing that a light can be set to. Write on, off or a level such as 40%.`, 2);
}

/** `output list`, `test` and `set`. */
export function outputCommands(program: Command): void {
  const output = program.command('output').description('outputs: list, test, set');
  verb(output, 'list', 'each output, where it goes, and how it does', 'output list').action(
    at(async ({ client, params, site, options }) => {
      const { items } = await client.call('outputs', { params });
      const time = (iso: string | undefined) => (iso ? clockText(iso, site.timezone) : 'never');
      const rows = items.map(({ key, kind, goesTo, lastDelivered, lastFailed, open, shows }) => [
        key,
        outputKindText(kind),
        goesTo,
        time(lastDelivered),
        [
          lastFailed && (!lastDelivered || lastFailed.created > lastDelivered)
            ? `failed: ${attemptText(lastFailed.attempts.at(-1) ?? { code: 'not-known' }).what}`
            : 'well',
          ...(open > 0 ? [`${open} open`] : []),
          ...(shows ? [lightText(shows)] : []),
        ].join(', '),
      ]);
      print(options, { items }, () => table(['OUTPUT', 'KIND', 'GOES TO', 'LAST', 'HOW IT DOES'], rows) || 'The site has no outputs yet.');
    }),
  );
  verb(output, 'test <key>', 'test an output the whole way, step by step', 'output test mail', 'output test mail --to me@quillmere.example')
    .option('--to <address>', 'where a mail goes; otherwise the first member who is reached over it')
    .action(
      at(async ({ client, params, options }, key: string) => {
        const delivery = await client.call('testOutput', { params: { ...params, key }, body: options.to ? { to: options.to } : {} });
        print(options, delivery, () => testText(delivery));
        if (delivery.state !== 'delivered') process.exitCode = 1;
      }),
    );
  verb(
    output,
    'set <key> <value>',
    'set a light by hand: on, off or a level',
    'output set drive-floods on --for 5m',
    'output set drive-floods 40%',
  )
    .option('--for <duration>', 'for a time; then it goes back to what it was')
    .action(
      at(async ({ client, params, options }, key: string, value: string) => {
        const body = { ...lightValue(value), ...(options.for ? { for: options.for } : {}) };
        const delivery = await client.call('setOutput', { params: { ...params, key }, body });
        print(options, delivery, () => testText(delivery));
        if (delivery.state !== 'delivered') process.exitCode = 1;
      }),
    );
}
