import { randomInt } from 'node:crypto';
import { writeFile } from 'node:fs/promises';
import path from 'node:path';
import type { Database } from './ledger/database.js';
import { addPass, addUser, countUsers } from './ledger/people.js';
import { hashPassword, newSecret } from './web/access.js';

/** Letters and digits that nobody mistakes for another. */
const letters = 'abcdefghjkmnpqrstuvwxyz23456789';
export const randomPassword = (): string =>
  Array.from({ length: 4 }, () => Array.from({ length: 4 }, () => letters[randomInt(letters.length)]).join('')).join('-');

/**
 * The first start makes the first user with a random password, and signs this machine's command line in. Both stand in
 * files that only their owner can read; there is no default password.
 */
export async function firstStart(database: Database, home: string, url: () => string, now: Date): Promise<void> {
  if ((await countUsers(database)) > 0) return;
  const password = randomPassword();
  const token = newSecret();
  await writeFile(path.join(home, 'first-sign-in.json'), `${JSON.stringify({ name: 'integrator', password }, null, 2)}\n`, { mode: 0o600 });
  await writeFile(path.join(home, 'login.json'), `${JSON.stringify({ url: url(), token }, null, 2)}\n`, { mode: 0o600 });
  const user = await addUser(database, { name: 'integrator', role: 'integrator', password: await hashPassword(password) }, now);
  await addPass(database, token, { kind: 'token', user: user.id, name: 'command line of this machine', created: now, expires: null });
}
