import type { OutputState } from './delivery/claims.js';
import type { ClaimOrigin, OpenFiring } from './firing/firing.js';
import type { HeadState } from './firing/head.js';
import type { Counts } from './rules/counting.js';
import type { Presence } from './rules/presence.js';

declare const held: unique symbol;
/** The name of one piece of a site's state, knowing the type of what is kept there. */
export type StateKey<T> = string & { readonly [held]?: T };

/** A cooldown that runs: until a steady time in ms, since a firing at a wall time as people read it. */
export interface Cooldown {
  readonly until: number;
  readonly since: string;
}

/** What an input said last. */
export interface InputState {
  readonly reading?: string;
  readonly number?: number;
}

/** Something that comes due at a steady time in ms. */
export interface Timer {
  readonly due: number;
  readonly for:
    | { readonly kind: 'need'; readonly firing: string }
    | { readonly kind: 'claim'; readonly output: string }
    | { readonly kind: 'look'; readonly camera: string }
    | { readonly kind: 'presence'; readonly member: string };
}

/** Every piece of state that the core keeps, by name. */
export const stateKeys = {
  mode: 'mode' as StateKey<string>,
  cooldown: (ruleId: string, part: string): StateKey<Cooldown> => `cooldown/${ruleId}/${part}`,
  /** How many cooldowns a rule keeps apart. */
  cooling: (ruleId: string): StateKey<number> => `cooling/${ruleId}`,
  firing: (id: string): StateKey<OpenFiring> => `firing/${id}`,
  output: (key: string): StateKey<OutputState<ClaimOrigin>> => `output/${key}`,
  head: (camera: string): StateKey<HeadState> => `head/${camera}`,
  present: (member: string): StateKey<Presence> => `present/${member}`,
  input: (key: string): StateKey<InputState> => `input/${key}`,
  counter: (name: string): StateKey<Counts> => `counter/${name}`,
  timer: (id: string): StateKey<Timer> => `timer/${id}`,
};

/** A site's state as the core reads it. */
export interface StateView {
  get<T>(key: StateKey<T>): T | undefined;
  /** Every piece whose name begins so. */
  entries(prefix: string): Iterable<readonly [name: string, value: unknown]>;
}

/** A state of which nothing is known yet. */
export const emptyState: StateView = { get: () => undefined, entries: () => [] };

/** New values by name; null takes away. */
export type Changes = ReadonlyMap<string, unknown>;

/** Reads through to a state and keeps what changes, so that a step that fails leaves nothing behind. */
export class Overlay implements StateView {
  readonly changes = new Map<string, unknown>();
  private readonly under: StateView;

  constructor(under: StateView) {
    this.under = under;
  }

  get<T>(key: StateKey<T>): T | undefined {
    const changed = this.changes.get(key);
    if (changed === undefined) return this.under.get(key);
    return changed === null ? undefined : (changed as T);
  }

  *entries(prefix: string): Iterable<readonly [string, unknown]> {
    for (const entry of this.under.entries(prefix)) if (!this.changes.has(entry[0])) yield entry;
    for (const entry of this.changes) if (entry[0].startsWith(prefix) && entry[1] !== null) yield entry;
  }

  set<T>(key: StateKey<T>, value: T | null): void {
    this.changes.set(key, value);
  }
}

/** Both clocks, handed in: wall for schedules and records, steady for durations (ms since the epoch, never jumping). */
export interface Now {
  readonly wall: number;
  readonly steady: number;
}
