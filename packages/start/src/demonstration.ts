import { randomBytes } from 'node:crypto';
import { readFile, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { CausalisClient } from '@causalis/client';

/** The passwords of the stand-ins: random for each data folder. */
export interface StandInPasswords {
  readonly gatehouse: string;
  readonly mail: string;
  readonly depot: string;
}

export async function standInPasswords(home: string): Promise<StandInPasswords> {
  const file = path.join(home, 'stand-ins.json');
  const known = await readFile(file, 'utf8').catch(() => undefined);
  if (known) return JSON.parse(known) as StandInPasswords;
  const secret = () => randomBytes(12).toString('base64url');
  const passwords = { gatehouse: secret(), mail: secret(), depot: secret() };
  await writeFile(file, `${JSON.stringify(passwords, null, 2)}\n`, { mode: 0o600 });
  return passwords;
}

/** Puts the demonstration's document into a service that has no site yet, with the passwords that it needs. */
export async function putDemonstration(home: string, url: string, passwords: StandInPasswords): Promise<boolean> {
  const { token } = JSON.parse(await readFile(path.join(home, 'login.json'), 'utf8')) as { token: string };
  const client = new CausalisClient({ base: url, token });
  const { items } = await client.call('sites');
  if (items.length > 0) return false;
  const document = await readFile(new URL('../../../../demo/quillmere.yaml', import.meta.url), 'utf8');
  const site = 'quillmere';
  await client.call('apply', { params: { site }, body: document });
  for (const [key, value] of Object.entries(passwords)) await client.call('setSecret', { params: { site, key }, body: { value } });
  return true;
}
