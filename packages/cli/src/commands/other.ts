import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { AnswerOf } from '@causalis/contract';
import { cameraText, clockText, dateText } from '@causalis/words';
import type { Command } from 'commander';
import { print, table } from '../print.js';
import { readSecretValue } from '../secret-value.js';
import { at, verb } from './at-site.js';

function statusText(status: AnswerOf<'status'>): string {
  const { site, cameras, rules, deliveries } = status;
  return [
    `${site.name} (${site.key}), revision ${site.revision}, mode ${status.mode}`,
    `Rules: ${rules.active} active, ${rules.inactive} off. Deliveries: ${deliveries.open} open, ${deliveries.failedLastDay} failed in the last day.`,
    ...cameras.map((camera) => `${camera.key}: ${cameraText(camera.state)} since ${clockText(camera.state.since, site.timezone)}`),
    `Service ${status.version}, running since ${dateText(status.started, site.timezone)}`,
  ].join('\n');
}

export function serveCommand(program: Command): void {
  verb(program, 'serve', 'start the service with its database, until Ctrl-C; the same as npm start', 'serve').action(async () => {
    const start = fileURLToPath(new URL('../../../../start/bin/start.mjs', import.meta.url));
    const child = spawn(process.execPath, [start], { stdio: 'inherit' });
    // Ctrl-C reaches both; the service ends in its own order.
    process.on('SIGINT', () => undefined);
    process.exitCode = await new Promise<number>((resolve) => child.once('exit', (code) => resolve(code ?? 1)));
  });
}

export function statusCommand(program: Command): void {
  program
    .command('status')
    .description('the site at a glance: mode, cameras, rules, deliveries')
    .addHelpText('after', '\nExample:\n  causalis status')
    .action(
      at(async ({ client, params, options }) => {
        const status = await client.call('status', { params });
        print(options, status, () => statusText(status));
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
      at(async ({ client, params, options }) => {
        const report = await client.call('mode', { params });
        print(options, report, () => text(report));
      }),
    );
  mode
    .command('set <mode>')
    .description('set the mode of the site')
    .addHelpText('after', '\nExample:\n  causalis mode set open')
    .action(
      at(async ({ client, params, options }, wanted: string) => {
        const report = await client.call('setMode', { params, body: { mode: wanted } });
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
      at(async ({ client, params, options }, key: string) => {
        const value = await readSecretValue(key);
        const report = await client.call('setSecret', { params: { ...params, key }, body: { value } });
        print(options, report, () => `${key} is set, for ${report.bound.join(' and ')}`);
      }),
    );
  secret
    .command('list')
    .description('names of secrets and where each may be sent, never a value')
    .addHelpText('after', '\nExample:\n  causalis secret list')
    .action(
      at(async ({ client, params, options }) => {
        const { items } = await client.call('secrets', { params });
        const rows = items.map(({ key, set, uses, bound }) => [
          key,
          set ? (uses.every((use) => bound.includes(use)) ? 'set' : 'set for another place') : 'not set',
          uses.join(', '),
        ]);
        print(options, { items }, () => table(['SECRET', 'STATE', 'USED FOR'], rows) || 'The document uses no secrets.');
      }),
    );
}
