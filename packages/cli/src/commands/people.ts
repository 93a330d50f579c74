import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { CausalisClient } from '@causalis/client';
import type { Permission, Role } from '@causalis/contract';
import { dateText, whenText } from '@causalis/words';
import type { Command } from 'commander';
import { print, table } from '../print.js';
import { readSecretValue } from '../secret-value.js';
import { Complaint, home, knownUrl } from '../session.js';
import { atService, verb } from './at-site.js';

const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;

function keepLogin(url: string, token: string): string {
  const file = path.join(home(), 'login.json');
  writeFileSync(file, `${JSON.stringify({ url, token }, null, 2)}\n`, { mode: 0o600 });
  return file;
}

/** `login`, and `login --reset` for the forgetful. */
export function loginCommand(program: Command): void {
  verb(program, 'login [name]', 'sign this machine’s command line in', 'login integrator', 'login --reset')
    .option('--url <address>', 'where the service answers')
    .option('--reset', 'a forgotten password: a new one, for whoever can read the data folder of the service')
    .action(async (given: string | undefined, options: { url?: string; reset?: boolean }, command: Command) => {
      const url = options.url ?? knownUrl();
      const client = new CausalisClient({ base: url });
      const common = command.optsWithGlobals();
      if (options.reset) {
        const file = path.join(home(), 'local.key');
        if (!existsSync(file))
          throw new Complaint(`There is no ${file}: run this on the service's own machine, with CAUSALIS_HOME as the service has it.`);
        const body = { key: readFileSync(file, 'utf8').trim(), ...(given ? { name: given } : {}) };
        const { name, password, token } = await client.call('recover', { body });
        keepLogin(url, token);
        rmSync(path.join(home(), 'first-sign-in.json'), { force: true });
        print(
          common,
          { name, password },
          () => `${name} signs in with the password ${password}\nIt is shown once. This command line is signed in.`,
        );
        return;
      }
      const name = given ?? 'integrator';
      const password = await readSecretValue(`the password of ${name}`);
      const me = await client.call('signIn', { body: { name, password, program: 'command line' } });
      const file = keepLogin(url, me.token ?? '');
      print(common, { name: me.name, role: me.role, file }, () => `Signed in as ${me.name} (${me.role}); kept in ${file}.`);
    });
}

/** `user list`, `add`, `role`, `password` and `remove`. */
export function userCommands(program: Command): void {
  const user = program.command('user').description('who can sign in: list, add, role, password, remove');
  verb(user, 'list', 'who can sign in, and as what', 'user list').action(
    atService(async ({ client, options }) => {
      const { items } = await client.call('users');
      print(options, { items }, () =>
        table(
          ['USER', 'ROLE', 'SINCE'],
          items.map(({ name, role, created }) => [name, role, dateText(created, zone)]),
        ),
      );
    }),
  );
  verb(
    user,
    'add <name> <role>',
    'a new user: viewer, operator or integrator; the password is shown once',
    'user add keeper operator',
  ).action(
    atService(async ({ client, options }, name: string, role: Role) => {
      const added = await client.call('addUser', { body: { name, role } });
      print(options, added, () => `${added.name} (${added.role}) signs in with the password ${added.password}\nIt is shown once.`);
    }),
  );
  verb(user, 'role <name> <role>', 'give a user another role', 'user role keeper viewer').action(
    atService(async ({ client, options }, name: string, role: Role) => {
      const changed = await client.call('setUser', { params: { name }, body: { role } });
      print(options, changed, () => `${changed.name} is ${changed.role} now.`);
    }),
  );
  verb(user, 'password <name>', 'write a user’s password, from the keyboard or the standard input', 'user password keeper').action(
    atService(async ({ client, options }, name: string) => {
      const password = await readSecretValue(`the new password of ${name}`);
      const changed = await client.call('setUser', { params: { name }, body: { password } });
      print(options, changed, () => `The password of ${changed.name} is written; their sessions have ended.`);
    }),
  );
  verb(user, 'remove <name>', 'remove a user with their sessions and tokens', 'user remove keeper').action(
    atService(async ({ client, options }, name: string) => {
      await client.call('removeUser', { params: { name } });
      print(options, { removed: name }, () => `${name} is removed.`);
    }),
  );
}

/** `token list`, `issue` and `revoke`, and `audit`. */
export function tokenCommands(program: Command): void {
  const token = program.command('token').description('tokens of programs: list, issue, revoke');
  verb(token, 'list', 'tokens, never their value', 'token list').action(
    atService(async ({ client, options }) => {
      const { items } = await client.call('tokens');
      const row = ({ id, name, user, expires, permissions, site }: (typeof items)[number]) =>
        `${id}  ${name}, of ${user}\n  ends ${expires ? dateText(expires, zone) : 'never'}; may ${permissions.join(', ')}${site === undefined ? '' : ` at ${site}`}`;
      print(options, { items }, () => items.map(row).join('\n') || 'There are no tokens.');
    }),
  );
  verb(token, 'issue <name>', 'a new token for a program, shown once', 'token issue wallboard --may view --days 90')
    .option('--may <permissions>', 'only these, such as view,operate')
    .option('--for <site>', 'good for this site only')
    .option('--days <number>', 'it ends after so many days')
    .action(
      atService(async ({ client, options }, name: string) => {
        const body = {
          name,
          ...(options.may ? { permissions: options.may.split(',') as Permission[] } : {}),
          ...(options.for ? { site: options.for as string } : {}),
          ...(options.days ? { days: Number(options.days) } : {}),
        };
        const issued = await client.call('issueToken', { body });
        print(
          options,
          issued,
          () => `${issued.token}\nTreat it as a password: it is not shown again. It may: ${issued.permissions.join(', ')}.`,
        );
      }),
    );
  verb(token, 'revoke <id>', 'end a token at once', 'token revoke 019a...').action(
    atService(async ({ client, options }, id: string) => {
      await client.call('revokeToken', { params: { id } });
      print(options, { revoked: id }, () => `${id} has ended.`);
    }),
  );
  verb(program, 'audit', 'who changed what and from where, newest first', 'audit --limit 50')
    .option('--limit <number>', 'how many', '20')
    .action(
      atService(async ({ client, options }) => {
        const page = await client.call('audit', { query: { limit: options.limit } });
        const rows = page.items.map(({ at, by, address, what, detail }) => [whenText(at, zone), by, address, what, JSON.stringify(detail)]);
        print(options, page, () => table(['WHEN', 'WHO', 'FROM', 'WHAT', 'DETAIL'], rows) || 'Nothing has been changed yet.');
      }),
    );
}
