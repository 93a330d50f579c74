import { readFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { CausalisClient } from '@causalis/client';
import type { SiteSummary } from '@causalis/contract';

/** Something that the person at the keyboard can mend: a sentence, and the exit code that goes with it. */
export class Complaint extends Error {
  readonly exitCode: number;

  constructor(message: string, exitCode = 1) {
    super(message);
    this.exitCode = exitCode;
  }
}

/** The data folder: where this machine's sign-in lies. */
export const home = (): string =>
  path.resolve(process.env.CAUSALIS_HOME ?? fileURLToPath(new URL('../../../../.causalis', import.meta.url)));

interface Login {
  readonly url: string;
  readonly token: string;
}

/** Options that every command takes. */
export interface CommonOptions {
  readonly json?: boolean;
  readonly site?: string;
}

function readLogin(): Login {
  const { CAUSALIS_URL: url, CAUSALIS_TOKEN: token } = process.env;
  if (url && token) return { url, token };
  try {
    return JSON.parse(readFileSync(path.join(home(), 'login.json'), 'utf8')) as Login;
  } catch {
    throw new Complaint(
      `This machine is not signed in: there is no ${path.join(home(), 'login.json')}. Run causalis login; or start the service once with npm start; or set CAUSALIS_URL and CAUSALIS_TOKEN.`,
      3,
    );
  }
}

/** Where the service answers: as this machine was signed in, or where the running one says, or where it usually is. */
export function knownUrl(): string {
  for (const file of ['login.json', 'running.json']) {
    try {
      return (JSON.parse(readFileSync(path.join(home(), file), 'utf8')) as { url: string }).url;
    } catch {
      // The next may know.
    }
  }
  return process.env.CAUSALIS_URL ?? 'http://127.0.0.1:7100';
}

export function connect(): CausalisClient {
  const { url, token } = readLogin();
  return new CausalisClient({ base: url, token });
}

/** The site that a command is about: the one named, or the only one. */
export async function siteOf(client: CausalisClient, { site }: CommonOptions): Promise<SiteSummary> {
  const { items } = await client.call('sites');
  const found = site === undefined ? items[0] : items.find(({ key }) => key === site);
  if (site === undefined && items.length > 1)
    throw new Complaint(`There are ${items.length} sites: name one with --site. Known: ${items.map(({ key }) => key).join(', ')}.`, 2);
  if (!found)
    throw new Complaint(
      site === undefined
        ? 'There is no site yet. Put one into force: causalis site apply FILE'
        : `There is no site ${site}. Known: ${items.map(({ key }) => key).join(', ') || 'none'}.`,
    );
  return found;
}
