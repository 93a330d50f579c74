import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { feedUse, outputSecret, type SiteDocument } from '@causalis/contract';
import { writeWhole } from '../files.js';
import type { Database } from '../ledger/database.js';
import { readSecrets, writeSecret } from '../ledger/secrets.js';

const algorithm = 'aes-256-gcm';

/** The key file is there and holds no key: without it no secret opens. */
export class WrongKey extends Error {
  constructor(file: string) {
    super(`${file} holds no key. Put back the file that belongs to this data folder; or remove it, and write every secret again.`);
  }
}

/** The key file, made at the first start: outside the database, readable by its owner only. */
export async function openKey(home: string): Promise<Buffer> {
  const file = path.join(home, 'secrets.key');
  try {
    const known = Buffer.from((await readFile(file, 'utf8')).trim(), 'hex');
    if (known.length !== 32) throw new WrongKey(file);
    return known;
  } catch (error) {
    if ((error as { code?: string }).code !== 'ENOENT') throw error;
    const key = randomBytes(32);
    await writeWhole(file, key.toString('hex'));
    return key;
  }
}

function seal(key: Buffer, text: string, about: string): Buffer {
  const nonce = randomBytes(12);
  const cipher = createCipheriv(algorithm, key, nonce).setAAD(Buffer.from(about));
  const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), sealed]);
}

function unseal(key: Buffer, sealed: Buffer, about: string): string {
  const cipher = createDecipheriv(algorithm, key, sealed.subarray(0, 12)).setAAD(Buffer.from(about)).setAuthTag(sealed.subarray(12, 28));
  return Buffer.concat([cipher.update(sealed.subarray(28)), cipher.final()]).toString('utf8');
}

/** Where a document sends each secret: kind and host by secret key. */
export function secretUses(document: SiteDocument): Map<string, string[]> {
  const uses = new Map<string, Set<string>>();
  const add = (secret: string, use: string) => {
    uses.set(secret, (uses.get(secret) ?? new Set()).add(use));
  };
  for (const camera of Object.values(document.cameras)) {
    for (const feed of [camera.feeds.main, camera.feeds.small])
      if (feed && 'password' in feed && feed.password) add(feed.password.secret, feedUse(feed));
  }
  for (const output of Object.values(document.outputs)) {
    const secret = outputSecret(output);
    if (secret) add(secret.key, secret.use);
  }
  return new Map([...uses].map(([key, set]) => [key, [...set].sort()]));
}

/** A site's secrets: written once, kept sealed, given out only for where they were meant. */
export class Vault {
  private readonly database: Database;
  private readonly site: number;
  private readonly key: Buffer;
  private readonly known = new Map<string, { sealed: Buffer; bound: readonly string[] }>();

  constructor(database: Database, site: number, key: Buffer) {
    this.database = database;
    this.site = site;
    this.key = key;
  }

  async load(): Promise<void> {
    for (const { key, sealed, bound } of await readSecrets(this.database, this.site)) {
      // One that another key has sealed is as good as not set: whoever looks is told to write it again.
      if (this.opens(key, sealed)) this.known.set(key, { sealed, bound });
    }
  }

  /** Where a secret may be sent; nothing when it is not set. */
  boundOf(key: string): readonly string[] | undefined {
    return this.known.get(key)?.bound;
  }

  async set(key: string, value: string, bound: readonly string[], at: Date): Promise<void> {
    const sealed = seal(this.key, value, `${this.site}/${key}`);
    await writeSecret(this.database, this.site, { key, sealed, bound }, at);
    this.known.set(key, { sealed, bound });
  }

  /** Lets a secret that is set go to other places too, without being written again. */
  async rebind(key: string, bound: readonly string[], at: Date): Promise<void> {
    const known = this.known.get(key);
    if (!known) return;
    const all = [...new Set([...known.bound, ...bound])];
    await writeSecret(this.database, this.site, { key, sealed: known.sealed, bound: all }, at);
    this.known.set(key, { sealed: known.sealed, bound: all });
  }

  private opens(key: string, sealed: Buffer): boolean {
    try {
      unseal(this.key, sealed, `${this.site}/${key}`);
      return true;
    } catch {
      return false;
    }
  }

  /** A secret for one use, or why it is not given. */
  async give(key: string, use: string): Promise<{ value: string } | { code: 'secret-not-set' | 'secret-not-bound' }> {
    const secret = this.known.get(key);
    if (!secret) return { code: 'secret-not-set' };
    if (!secret.bound.includes(use)) return { code: 'secret-not-bound' };
    return { value: unseal(this.key, secret.sealed, `${this.site}/${key}`) };
  }
}
