import { randomBytes, randomInt } from 'node:crypto';
import { type Me, type Permission, type paths, permissionsOf } from '@causalis/contract';
import argon2 from '@node-rs/argon2';
import type { FastifyRequest } from 'fastify';
import type { Clock } from '../clock.js';
import type { Database } from '../ledger/database.js';
import { addPass, dropPass, findPass, findUser, type User } from '../ledger/people.js';
import { Refusal } from '../problem.js';

export const cookieName = 'causalis';
/** A session ends after this long. */
const sessionMs = 12 * 3_600_000;
/**
 * So many tries to sign in within a minute: as somebody from one address, from one address as anybody, and as somebody
 * from anywhere. The last is the most generous, so that nobody keeps others out by guessing at their names.
 */
const mostTries = { both: 10, address: 30, name: 100 } as const;
const triesMs = 60_000;
/** So many names and addresses are remembered; whoever invents more of them pushes out the oldest. */
const mostRemembered = 10_000;
/** Whoever was let in is looked up again after this: what another process of the same ledger has changed counts by then. */
const knownMs = 2_000;

/** Who asks, and how they have shown it. */
export interface Caller {
  readonly me: Me;
  readonly by: 'cookie' | 'token';
  /** The only site that their token is good for. */
  readonly site: string | undefined;
}

/** A new secret that cannot be guessed: 256 bits. */
export const newSecret = (): string => randomBytes(32).toString('base64url');

/** Letters and digits that nobody takes for one another. */
const plainLetters = 'abcdefghijkmnpqrstuvwxyzABCDEFGHJKLMNPQRSTUVWXYZ23456789';
/** A new secret that somebody types into a camera: 20 letters and digits, 116 bits. */
export const typedSecret = (): string => Array.from({ length: 20 }, () => plainLetters[randomInt(plainLetters.length)]).join('');

export const hashPassword = (password: string): Promise<string> => argon2.hash(password);

/** Who somebody is, and what they may do: a token may be given less than its user. */
const meOf = (user: User, only: readonly Permission[] | null = null): Me => ({
  name: user.name,
  role: user.role,
  permissions: permissionsOf[user.role].filter((permission) => !only || only.includes(permission)),
});

/** What of some permissions is about one site: people are of the whole service. */
export const atOneSite = (all: readonly Permission[]): Permission[] => all.filter((permission) => permission !== 'people');

/** Sign-in, sessions and tokens. */
export class Access {
  private readonly database: Database;
  private readonly clock: Clock;
  private readonly tries = new Map<string, number[]>();
  /** Who was seen lately: forgotten at once when people or tokens change here, and soon anyway. */
  private readonly callers = new Map<string, { readonly caller: Caller; readonly kind: string; readonly until: number }>();
  /** A hash to compare with when there is no such name, so that both take as long. */
  private readonly nobody = hashPassword(newSecret());

  constructor(database: Database, clock: Clock) {
    this.database = database;
    this.clock = clock;
  }

  /** A new session for a name and its password. */
  async signIn(name: string, password: string, address: string, program?: string): Promise<{ me: Me; secret: string; expires: Date }> {
    const own = `${address} ${name}`;
    this.countTry(`both ${own}`, mostTries.both);
    this.countTry(`from ${address}`, mostTries.address);
    this.countTry(`name ${name}`, mostTries.name);
    const user = await findUser(this.database, name);
    const right = await argon2.verify(user?.password ?? (await this.nobody), password);
    if (!user || !right) throw new Refusal('wrong-password');
    this.tries.delete(`both ${own}`);
    const secret = newSecret();
    const wall = this.clock.wall();
    const expires = new Date(wall + sessionMs);
    await addPass(this.database, secret, {
      kind: program === undefined ? 'session' : 'token',
      user: user.id,
      name: program ?? 'console',
      created: new Date(wall),
      expires: program === undefined ? expires : null,
    });
    return { me: meOf(user), secret, expires };
  }

  /** Counts one try, and refuses it when there were too many lately. */
  private countTry(key: string, most: number): void {
    const now = this.clock.steady();
    const recent = (this.tries.get(key) ?? []).filter((at) => now - at < triesMs);
    if (recent.length >= most) throw new Refusal('too-many-tries');
    // The newest stand last.
    this.tries.delete(key);
    this.tries.set(key, [...recent, now]);
    if (this.tries.size > mostRemembered)
      for (const oldest of [...this.tries.keys()].slice(0, mostRemembered / 10)) this.tries.delete(oldest);
  }

  /** Whether a password is that of a user. */
  async isPassword(name: string, password: string): Promise<boolean> {
    const user = await findUser(this.database, name);
    return user !== undefined && (await argon2.verify(user.password, password));
  }

  /** People, tokens or sessions have changed. */
  forget(): void {
    this.callers.clear();
  }

  async signOut(secret: string): Promise<void> {
    await dropPass(this.database, secret);
    // Only then: who asks meanwhile would be remembered again.
    this.forget();
  }

  /** Who asks: a token in the header, or the session of a cookie. */
  async caller(request: FastifyRequest): Promise<Caller | undefined> {
    const bearer = /^Bearer ([A-Za-z0-9_-]{20,100})$/.exec(request.headers.authorization ?? '')?.[1];
    const cookie = request.cookies[cookieName];
    const [secret, kind] = bearer ? [bearer, 'token' as const] : [cookie, 'session' as const];
    if (!secret) return undefined;
    const now = this.clock.steady();
    const known = this.callers.get(secret);
    if (known && known.kind === kind && known.until > now) return known.caller;
    const pass = await findPass(this.database, kind, secret, new Date(this.clock.wall()));
    if (!pass) return undefined;
    const site = pass.site ?? undefined;
    const only = site === undefined ? pass.permissions : atOneSite(pass.permissions ?? permissionsOf[pass.user.role]);
    const caller: Caller = { me: meOf(pass.user, only), by: kind === 'token' ? 'token' : 'cookie', site };
    if (this.callers.size >= mostRemembered) this.callers.clear();
    this.callers.set(secret, { caller, kind, until: now + knownMs });
    return caller;
  }

  /** Lets somebody pass who may, and says why not. */
  permit(caller: Caller | undefined, permission: (typeof paths)[keyof typeof paths]['permission'], site: string | undefined): void {
    if (permission === 'open') return;
    if (!caller) throw new Refusal('not-signed-in');
    // Whoever is good for one site learns nothing of others, not even that they are there.
    if (caller.site !== undefined && site !== undefined && site !== caller.site) throw new Refusal('unknown-site', { site });
    if (permission !== 'signed-in' && !caller.me.permissions.includes(permission as Permission))
      throw new Refusal('not-permitted', { permission });
  }
}
