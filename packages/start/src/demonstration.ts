import { randomBytes } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { CausalisClient } from '@causalis/client';
import { writeWhole } from '@causalis/service';

/** The passwords of the stand-ins: random for each data folder. */
export interface StandInPasswords {
  readonly gatehouse: string;
  readonly mast: string;
  readonly cameras: string;
  readonly mail: string;
  readonly depot: string;
}

/** What is typed into the nursery's camera. */
type Sends = Partial<Record<'upload' | 'mail', { host: string; port: number; user: string; password: string; folder?: string }>>;

/** What a file holds as JSON; nothing when it is not there, or was half written by a start that was killed. */
export async function readJson<T>(file: string): Promise<T | undefined> {
  try {
    return JSON.parse(await readFile(file, 'utf8')) as T;
  } catch {
    return undefined;
  }
}

/** The demonstration's document with its first camera alone, for whoever has no stand-ins for the others. */
export const gatehouseAlone = (text: string): string =>
  text
    .replace(/ {2}# The other cameras[\s\S]*?(?=\n\w|\n*$(?![\s\S]))/g, '')
    .replace(/\naccounts:[\s\S]*?(?=\n\w)/, '')
    .replace(/^.*camera: mast.*\n/gm, '');

/** Where the stand-ins of the demonstration's document listen: counted from here. */
export const usualBase = 7200;

/** Accounts whose passwords a start has typed into the simulated camera before. */
export const typedSends = (home: string): Promise<Sends | undefined> => readJson<Sends>(path.join(home, 'nursery-sends.json'));

export async function standInPasswords(home: string): Promise<StandInPasswords> {
  const file = path.join(home, 'stand-ins.json');
  const known = await readJson<Partial<StandInPasswords>>(file);
  const secret = () => randomBytes(12).toString('base64url');
  // A folder of an earlier version lacks those of later stand-ins.
  const passwords = { gatehouse: secret(), mast: secret(), cameras: secret(), mail: secret(), depot: secret(), ...known };
  await writeWhole(file, `${JSON.stringify(passwords, null, 2)}\n`);
  return passwords;
}

/**
 * Puts the demonstration's document into a service that has no site yet, and gives it the passwords that it needs. A
 * first start that was killed in between is gone on with: what is set stays as it is.
 */
export async function putDemonstration(
  home: string,
  { url, base, passwords }: { readonly url: string; readonly base: number; readonly passwords: StandInPasswords },
): Promise<boolean> {
  const login = await readJson<{ token: string }>(path.join(home, 'login.json'));
  if (!login) return false;
  const client = new CausalisClient({ base: url, token: login.token });
  const { items } = await client.call('sites');
  const site = 'quillmere';
  const fresh = items.length === 0;
  if (fresh) {
    const written = await readFile(new URL('../../../../demo/quillmere.yaml', import.meta.url), 'utf8');
    const here = written
      .replace(/\b7([23])(\d\d)\b/g, (_, hundreds: string, rest: string) => String(base + (Number(hundreds) - 2) * 100 + Number(rest)))
      .replace('http://127.0.0.1:7100', url);
    await client.call('apply', { params: { site }, body: here });
  }
  if (!fresh && !items.some(({ key }) => key === site)) return false;
  const secrets = await client.call('secrets', { params: { site } });
  for (const [key, value] of Object.entries(passwords))
    if (secrets.items.some((secret) => secret.key === key && !secret.set))
      await client.call('setSecret', { params: { site, key }, body: { value } });
  await typeAccounts(home, client, base);
  return fresh;
}

/** Gives the accounts of the nursery their passwords and types them into its camera, as an integrator would; once. */
async function typeAccounts(home: string, client: CausalisClient, base: number): Promise<void> {
  if (await typedSends(home)) return;
  const params = { site: 'quillmere' };
  const { accounts } = await client.call('sources', { params });
  const sends: Sends = {};
  for (const { key, camera } of accounts) {
    if (camera !== 'nursery') continue;
    const { kind, host, port, user, password, folder } = await client.call('issueAccount', { params: { ...params, key } });
    if (port !== undefined) sends[kind] = { host, port, user, password, ...(folder ? { folder } : {}) };
  }
  if (Object.keys(sends).length === 0) return;
  await fetch(`http://127.0.0.1:${base + 6}/sends`, { method: 'POST', body: JSON.stringify(sends), redirect: 'manual' });
  await writeWhole(path.join(home, 'nursery-sends.json'), `${JSON.stringify(sends)}\n`);
}
