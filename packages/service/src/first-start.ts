import { randomInt } from 'node:crypto';
import { rm } from 'node:fs/promises';
import path from 'node:path';
import { writeWhole } from './files.js';
import type { Database } from './ledger/database.js';
import { addUserWithToken, countUsers } from './ledger/people.js';
import { hashPassword, newSecret } from './web/access.js';

const firstName = 'integrator';

/** Letters and digits that nobody mistakes for another. */
const letters = 'abcdefghjkmnpqrstuvwxyz23456789';
export const randomPassword = (): string =>
  Array.from({ length: 4 }, () => Array.from({ length: 4 }, () => letters[randomInt(letters.length)]).join('')).join('-');

/** Takes away what the first start wrote down, when it is the password of this user no more. */
export async function forgetFirstSignIn(home: string, user: string): Promise<void> {
  if (user === firstName) await rm(path.join(home, 'first-sign-in.json'), { force: true });
}

/**
 * The first start makes the first user with a random password, and signs this machine's command line in. Both stand in
 * files that only their owner can read; there is no default password.
 */
export async function firstStart(database: Database, home: string, url: () => string, now: Date): Promise<void> {
  if ((await countUsers(database)) > 0) return;
  const password = randomPassword();
  const token = newSecret();
  // The files first: a start that is killed in between makes both anew, because there is no user yet.
  await writeWhole(path.join(home, 'first-sign-in.json'), `${JSON.stringify({ name: firstName, password }, null, 2)}\n`);
  await writeWhole(path.join(home, 'login.json'), `${JSON.stringify({ url: url(), token }, null, 2)}\n`);
  await addUserWithToken(database, { name: firstName, role: 'integrator', password: await hashPassword(password) }, token, now);
}
