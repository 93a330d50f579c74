import type { AnswerOf } from '@causalis/contract';
import { refusedText, whenText } from '@causalis/words';
import type { Command } from 'commander';
import { print, table } from '../print.js';
import { at, verb } from './at-site.js';

export function sourceCommands(program: Command): void {
  const source = program.command('source').description('what reports beside pictures: list, refused');
  verb(
    source,
    'list',
    'inputs with their readings, hooks with their last call, accounts with what is typed into a camera',
    'source list',
  ).action(
    at(async ({ client, params, site, options }) => {
      const all = await client.call('sources', { params });
      print(options, all, () => sourcesText(all, site.timezone));
    }),
  );
  verb(source, 'refused', 'what arrived over hooks, accounts and inputs and was refused, and why', 'source refused')
    .option('--limit <number>', 'how many', '20')
    .action(
      at(async ({ client, params, site, options }) => {
        const { items } = await client.call('refused', { params, query: { limit: options.limit } });
        const lines = items.map(
          ({ at: when, source: from, address, reason }) =>
            `${whenText(when, site.timezone)}  ${from}: ${refusedText(reason)} (from ${address})`,
        );
        print(options, { items }, () => lines.join('\n') || 'Nothing has been refused.');
      }),
    );
}

function sourcesText({ inputs, hooks, accounts }: AnswerOf<'sources'>, timezone: string): string {
  const when = (at: string | undefined) => (at === undefined ? 'never' : whenText(at, timezone));
  const parts = [
    table(
      ['INPUT', 'SAYS', 'LAST', 'FROM'],
      inputs.map(({ key, reading, last, from }) => [key, reading ?? '-', when(last), from]),
    ),
    table(
      ['HOOK', 'ADDRESS', 'LAST CALL', 'CAME TO'],
      hooks.map(({ key, issued, lastCall }) => [
        key,
        issued ? `issued ${when(issued)}` : 'none',
        when(lastCall?.at),
        lastCall?.refused ? `refused: ${refusedText(lastCall.refused)}` : lastCall ? JSON.stringify(lastCall.took) : '-',
      ]),
    ),
    table(
      ['ACCOUNT', 'KIND', 'CAMERA', 'PASSWORD', 'LAST'],
      accounts.map(({ key, kind, camera, issued, last }) => [
        key,
        kind,
        camera,
        issued ? `issued ${when(issued)}` : 'none yet',
        when(last),
      ]),
    ),
  ];
  return parts.filter(Boolean).join('\n\n') || 'Nothing but cameras reports to this site.';
}

type Account = AnswerOf<'sources'>['accounts'][number];
const how: Record<Account['kind'], string> = { upload: 'FTP, passive', mail: 'SMTP with a login, without encryption' };

/** What is typed into a camera, one line each: nothing of it may be cut short. */
function accountText({ key, kind, camera, host, port, user, folder }: Account, password: string, more: readonly string[]): string {
  return [
    `${key}: ${camera} sends by ${kind} (${how[kind]})`,
    `  host      ${host}`,
    `  port      ${port ?? 'nobody listens: another program may have it, see the log of the service'}`,
    `  user      ${user}`,
    `  password  ${password}`,
    ...(folder ? [`  folder    ${folder}`] : []),
    ...more,
  ].join('\n');
}

export function accountCommands(program: Command): void {
  const account = program.command('account').description('accounts for cameras that can only send: list, issue, revoke');
  verb(account, 'list', 'what is typed into each camera: host, port, user and folder, never the password', 'account list').action(
    at(async ({ client, params, site, options }) => {
      const { accounts } = await client.call('sources', { params });
      const texts = accounts.map((one) =>
        accountText(
          one,
          one.issued ? `issued ${whenText(one.issued, site.timezone)}; not shown again` : `none yet: causalis account issue ${one.key}`,
          [`  last      ${one.last ? whenText(one.last, site.timezone) : 'nothing has arrived yet'}`],
        ),
      );
      print(options, { items: accounts }, () => texts.join('\n') || 'The site has no accounts. Add an item to accounts: in its document.');
    }),
  );
  verb(account, 'issue <key>', 'a new password of an account, shown once; the one before it ends', 'account issue nursery-uploads').action(
    at(async ({ client, params, options }, key: string) => {
      const issued = await client.call('issueAccount', { params: { ...params, key } });
      const { password, ...report } = issued;
      print(
        options,
        issued,
        () => `${accountText(report, password, [])}\nThe password is not shown again; all else stands in: causalis account list`,
      );
    }),
  );
  verb(account, 'revoke <key>', 'end the password of an account, without a new one', 'account revoke nursery-uploads').action(
    at(async ({ client, params, options }, key: string) => {
      await client.call('revokeAccount', { params: { ...params, key } });
      print(options, { revoked: key }, () => `The password of ${key} has ended. A new one: causalis account issue ${key}`);
    }),
  );
}

export function hookCommands(program: Command): void {
  const hook = program.command('hook').description('hooks: issue, revoke; what is refused: source refused');
  hook
    .command('issue <key>')
    .description('a new secret address of a hook, shown once; the one before it ends')
    .addHelpText('after', '\nExample:\n  causalis hook issue face-desk')
    .action(
      at(async ({ client, params, options }, key: string) => {
        const issued = await client.call('issueHook', { params: { ...params, key } });
        print(options, issued, () => `${issued.address}\nTreat it as a password: it is not shown again.`);
      }),
    );
  verb(hook, 'revoke <key>', 'end the secret address of a hook, without a new one', 'hook revoke face-desk').action(
    at(async ({ client, params, options }, key: string) => {
      await client.call('revokeHook', { params: { ...params, key } });
      print(options, { revoked: key }, () => `The address of ${key} has ended. A new one: causalis hook issue ${key}`);
    }),
  );
}
