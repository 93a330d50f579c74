import {
  type CompiledSite,
  type Entry,
  type Now,
  Overlay,
  type StateKey,
  type StateView,
  type StepResult,
  step,
  type Timer,
} from '@causalis/core';
import type { Clock } from '../clock.js';
import { newId } from '../ids.js';
import { commitBatch } from '../ledger/commit.js';
import { type Database, isAway, isCrossed } from '../ledger/database.js';
import { lastNumber, readState } from '../ledger/state.js';
import type { EntryExtras, Stepped } from '../ledger/stepped.js';
import { pass } from '../moments.js';
import { Refusal } from '../problem.js';

/** What an accepted entry came to. */
export interface Outcome {
  readonly number: number;
  readonly result: StepResult;
}

/** An entry with what belongs into the same commit. */
export interface Offered {
  readonly entry: Entry;
  readonly extras: EntryExtras;
}

/** Entries that are taken whole or not at all. */
interface Group {
  readonly offered: readonly Offered[];
  readonly accept: (outcomes: Outcome[]) => void;
  readonly refuse: (error: unknown) => void;
}

interface JudgedGroup {
  readonly group: Group;
  readonly stepped: readonly Stepped[];
}

export interface EngineParts {
  readonly database: Database;
  readonly site: number;
  readonly clock: Clock;
  /** Id of this process, which takes the deliveries it hands over. */
  readonly process: string;
  /** Called after a commit, in the order of the numbers: hand over and announce. */
  readonly committed: (stepped: Stepped) => void;
  readonly trouble: (error: unknown, what: string) => void;
}

/** A batch is what arrived while the last commit ran; never more than this, so that one commit stays short. */
const mostInBatch = 200;
/** More than this waiting means that the ledger cannot follow: callers are told so instead of waiting for ever. */
const mostWaiting = 20_000;
/** A transaction that others keep standing in the way of is given up after this many tries. */
const mostTries = 5;
/** A timer whose commit failed is tried again after this. */
const timerAgainMs = 1_000;

/** State that is kept in memory and known to be in the ledger. */
class KeptState implements StateView {
  private readonly values: Map<string, unknown>;
  constructor(values: Map<string, unknown>) {
    this.values = values;
  }
  get<T>(key: StateKey<T>): T | undefined {
    return this.values.get(key) as T | undefined;
  }
  *entries(prefix: string): Iterable<[string, unknown]> {
    for (const [name, value] of this.values) if (name.startsWith(prefix)) yield [name, value];
  }
  merge(changes: ReadonlyMap<string, unknown>): void {
    for (const [name, value] of changes) {
      if (value === null) this.values.delete(name);
      else this.values.set(name, value);
    }
  }
}

/**
 * The one writer of a site: takes entries, steps them through the core, and makes each batch durable in one commit
 * before anybody is told "accepted" and before anything is sent.
 */
export class Engine {
  private readonly parts: EngineParts;
  private compiled: CompiledSite;
  private readonly state: KeptState;
  private number: number;
  private queue: Group[] = [];
  private running: Promise<void> | undefined;
  private readonly timers = new Map<string, () => void>();
  private stopped = false;

  private constructor(parts: EngineParts, compiled: CompiledSite, state: KeptState, number: number) {
    this.parts = parts;
    this.compiled = compiled;
    this.state = state;
    this.number = number;
  }

  /** Reads a site's state back from the ledger and arms every timer that was pending. */
  static async start(parts: EngineParts, compiled: CompiledSite): Promise<Engine> {
    const values = await readState(parts.database, parts.site);
    const engine = new Engine(parts, compiled, new KeptState(values), await lastNumber(parts.database, parts.site));
    for (const [name, value] of engine.state.entries('timer/')) engine.arm(name, value as Timer);
    return engine;
  }

  /** A new revision: from the next entry on. */
  recompile(compiled: CompiledSite): void {
    this.compiled = compiled;
  }

  get site(): CompiledSite {
    return this.compiled;
  }

  /** What is known of a piece of state, as committed. */
  read<T>(key: StateKey<T>): T | undefined {
    return this.state.get(key);
  }

  /** Takes an entry. Resolves when it is durable; refuses with `ledger-away` when it is not kept. */
  async accept(entry: Entry, extras: EntryExtras = {}): Promise<Outcome> {
    const [outcome] = await this.acceptAll([{ entry, extras }]);
    return outcome;
  }

  /** What an entry would come to now: nothing is kept, and nothing is sent. */
  rehearse(entries: (result: StepResult | undefined) => Entry | undefined): StepResult[] {
    const overlay = new Overlay(this.state);
    const results: StepResult[] = [];
    for (let entry = entries(undefined); entry; entry = entries(results.at(-1))) {
      const result = step(this.compiled, overlay, entry, { wall: this.parts.clock.wall(), steady: this.parts.clock.steady() }, newId);
      for (const [name, value] of result.changes) overlay.set(name, value);
      results.push(result);
    }
    return results;
  }

  /** Takes entries whole or not at all: they are in one commit, one after the other. */
  acceptAll(offered: readonly Offered[]): Promise<Outcome[]> {
    if (this.stopped || this.queue.length >= mostWaiting) return Promise.reject(new Refusal('ledger-away'));
    return new Promise((accept, refuse) => {
      this.queue.push({ offered, accept, refuse });
      this.running ??= this.run();
    });
  }

  /** Ends after the entries that have been taken; nothing is accepted any more. */
  async stop(): Promise<void> {
    this.stopped = true;
    for (const cancel of this.timers.values()) cancel();
    this.timers.clear();
    await this.running;
  }

  private async run(): Promise<void> {
    // Everything that arrives in this turn of the loop belongs to the first batch.
    await Promise.resolve();
    while (this.queue.length > 0) await this.batch(this.take());
    this.running = undefined;
  }

  private take(): Group[] {
    let entries = 0;
    let groups = 0;
    while (groups < this.queue.length && entries < mostInBatch) entries += this.queue[groups++].offered.length;
    return this.queue.splice(0, groups);
  }

  /** The way of a batch: judge → commit → keep → answer → hand over. */
  private async batch(groups: readonly Group[]): Promise<void> {
    const overlay = new Overlay(this.state);
    const judged = this.judge(groups, overlay);
    const stepped = judged.flatMap((one) => one.stepped);
    if (stepped.length === 0) return;
    try {
      pass('before-commit');
      await this.commit(stepped);
    } catch (error) {
      await this.notKept(error, judged);
      return;
    }
    this.number += stepped.length;
    this.keep(overlay);
    pass('committed');
    for (const one of judged) {
      one.group.accept(one.stepped.map(({ number, result }) => ({ number, result })));
      for (const committed of one.stepped) this.parts.committed(committed);
    }
  }

  /** Commits, and again when another transaction stood in the way: nothing was written then. */
  private async commit(stepped: readonly Stepped[]): Promise<void> {
    for (let tries = 1; ; tries++) {
      try {
        await commitBatch(this.parts.database, this.parts.site, stepped, this.parts.process);
        return;
      } catch (error) {
        if (!isCrossed(error) || tries >= mostTries) throw error;
      }
    }
  }

  /** Nothing of a batch was kept. What the ledger refuses spoils only its own group: the others go again, each alone. */
  private async notKept(error: unknown, judged: readonly JudgedGroup[]): Promise<void> {
    const away = isAway(error);
    if (!away && judged.length > 1) {
      for (const { group } of judged) await this.batch([group]);
      return;
    }
    if (!away) this.parts.trouble(error, 'commit');
    for (const { group } of judged) group.refuse(away ? new Refusal('ledger-away', {}, undefined, error) : error);
  }

  /** Steps the entries of each group; a group in which one cannot be stepped leaves nothing behind. */
  private judge(groups: readonly Group[], overlay: Overlay): JudgedGroup[] {
    const judged: JudgedGroup[] = [];
    let number = this.number;
    for (const group of groups) {
      const own = new Overlay(overlay);
      try {
        const stepped = group.offered.map(({ entry, extras }, i): Stepped => {
          const now: Now = { wall: this.parts.clock.wall(), steady: this.parts.clock.steady() };
          const result = step(this.compiled, own, entry, now, newId);
          for (const [name, value] of result.changes) own.set(name, value);
          return { number: number + i + 1, revision: this.compiled.revision, entry, now, extras, result };
        });
        number += stepped.length;
        for (const [name, value] of own.changes) overlay.set(name, value);
        judged.push({ group, stepped });
      } catch (error) {
        this.parts.trouble(error, 'step');
        group.refuse(error);
      }
    }
    return judged;
  }

  private keep(overlay: Overlay): void {
    this.state.merge(overlay.changes);
    for (const [name, value] of overlay.changes) {
      if (!name.startsWith('timer/')) continue;
      this.timers.get(name)?.();
      this.timers.delete(name);
      if (value !== null) this.arm(name, value as Timer);
    }
  }

  private arm(name: string, timer: Timer): void {
    if (this.stopped) return;
    const due = () => {
      this.timers.delete(name);
      this.accept({ kind: 'timer', id: name.slice('timer/'.length) }).catch(() => {
        // Not kept, so it is still due: the row is there, and it is tried again.
        if (!this.stopped) this.timers.set(name, this.parts.clock.at(this.parts.clock.steady() + timerAgainMs, due));
      });
    };
    this.timers.set(name, this.parts.clock.at(timer.due, due));
  }
}
