import { type CompiledSite, type Entry, type Now, Overlay, type StateKey, type StepResult, step, type Timer } from '@causalis/core';
import type { Clock } from '../clock.js';
import { newId } from '../ids.js';
import type { Lease } from '../lease.js';
import { commitBatch } from '../ledger/commit.js';
import { type Database, isAway, isCrossed, isKnownAlready } from '../ledger/database.js';
import { LostLease, numberOf } from '../ledger/leases.js';
import { readState } from '../ledger/state.js';
import type { EntryExtras, Stepped } from '../ledger/stepped.js';
import { goThrough, pass, type Step } from '../moments.js';
import { Refusal } from '../problem.js';
import { KeptState } from './kept-state.js';

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

/** Groups on their way: what was made of them, over the state as it was. */
interface Batch {
  readonly groups: readonly Group[];
  readonly overlay: Overlay;
  judged: readonly JudgedGroup[];
}

const steppedOf = (batch: Batch): Stepped[] => batch.judged.flatMap(({ stepped }) => stepped);

export interface EngineParts {
  readonly database: Database;
  readonly lease: Lease;
  readonly clock: Clock;
  /** Id of this process, which takes the deliveries it hands over. */
  readonly process: string;
  /** So many entries became durable, and how long that took. */
  readonly timed: (entries: number, tookMs: number) => void;
  /** Called after a commit, in the order of the numbers. */
  readonly handOver: (stepped: Stepped) => void;
  readonly announce: (stepped: Stepped) => void;
  readonly trouble: (error: unknown, what: string) => void;
}

/** A batch is what arrived while the last commit ran; never more than this. */
const mostInBatch = 200;
const leastInBatch = 16;
/** Batches become smaller when a commit takes longer than this: whatever is urgent waits for one at most. */
const commitMs = 25;
/** More than this waiting means that the ledger cannot follow: callers are told so instead of waiting for ever. */
const mostWaiting = 20_000;
/** A transaction that others keep standing in the way of is given up after this many tries. */
const mostTries = 5;
/** A timer whose commit failed, and a commit of which nobody knows whether it came to be, are looked at again after this. */
const againMs = 1_000;

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
  private batchSize = mostInBatch / 4;
  private running: Promise<void> | undefined;
  private readonly timers = new Map<string, () => void>();
  /** The ledger went away while this was committed: whether it is durable is not known. */
  private unsure: Batch | undefined;
  private stopped = false;

  /** The way of a batch into the ledger: until its end nothing has happened. */
  private readonly wayIn: readonly Step<Batch>[] = [
    ['judged', (batch) => this.judge(batch)],
    ['committed', (batch) => this.commit(batch)],
  ];
  /** The way on from there: what is in the ledger is told and done. */
  private readonly wayOn: readonly Step<Batch>[] = [
    ['kept', (batch) => this.keep(batch)],
    ['answered', (batch) => this.answer(batch)],
    ['handed-over', (batch) => this.each(batch, this.parts.handOver)],
    ['announced', (batch) => this.each(batch, this.parts.announce)],
  ];

  private constructor(parts: EngineParts, compiled: CompiledSite, state: KeptState, number: number) {
    this.parts = parts;
    this.compiled = compiled;
    this.state = state;
    this.number = number;
  }

  /** Reads a site's state back from the ledger and arms every timer that was pending. */
  static async start(parts: EngineParts, compiled: CompiledSite, number: number): Promise<Engine> {
    const values = await readState(parts.database, parts.lease.held.site);
    const engine = new Engine(parts, compiled, new KeptState(values), number);
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
      pass('accepted');
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

  /** The next batch: what happens at the site goes before what has become of deliveries, which always gets half. */
  private take(): Group[] {
    const ended: Group[] = [];
    const others: Group[] = [];
    for (const group of this.queue) (group.offered[0]?.entry.kind === 'ended' ? ended : others).push(group);
    const taken: Group[] = [];
    let entries = 0;
    const fill = (from: Group[], most: number) => {
      let group = from[0];
      while (group && entries < most) {
        from.shift();
        taken.push(group);
        entries += group.offered.length;
        group = from[0];
      }
    };
    fill(others, ended.length > 0 ? this.batchSize / 2 : this.batchSize);
    fill(ended, this.batchSize);
    fill(others, this.batchSize);
    this.queue = [...others, ...ended];
    return taken;
  }

  private async batch(groups: readonly Group[]): Promise<void> {
    if (!(await this.settle())) {
      for (const group of groups) group.refuse(new Refusal('ledger-away'));
      return;
    }
    const batch: Batch = { groups, overlay: new Overlay(this.state), judged: [] };
    try {
      await goThrough(this.wayIn, batch);
    } catch (error) {
      await this.notKept(error, batch);
      return;
    }
    await goThrough(this.wayOn, batch);
  }

  /** Commits, and again when another transaction stood in the way: nothing was written then. */
  private async commit(batch: Batch): Promise<void> {
    const stepped = steppedOf(batch);
    if (stepped.length === 0) return;
    const began = performance.now();
    for (let tries = 1; ; tries++) {
      try {
        await commitBatch(this.parts.database, this.parts.lease.held, stepped, this.parts.process);
        this.commitTook(stepped.length, performance.now() - began);
        return;
      } catch (error) {
        if (!isCrossed(error) || tries >= mostTries) throw error;
      }
    }
  }

  private commitTook(entries: number, tookMs: number): void {
    this.parts.timed(entries, tookMs);
    if (tookMs > commitMs) this.batchSize = Math.max(leastInBatch, Math.floor(this.batchSize * 0.7));
    else if (entries >= this.batchSize) this.batchSize = Math.min(mostInBatch, Math.ceil(this.batchSize * 1.3));
  }

  private answer(batch: Batch): void {
    for (const { group, stepped } of batch.judged) group.accept(stepped.map(({ number, result }) => ({ number, result })));
  }

  private each(batch: Batch, tell: (stepped: Stepped) => void): void {
    for (const stepped of steppedOf(batch)) {
      try {
        tell(stepped);
      } catch (error) {
        this.parts.trouble(error, 'after a commit');
      }
    }
  }

  /**
   * Finds out what became of a commit during which the ledger went away: its answer may have been lost, not the commit.
   * The last number says which. False while the ledger does not answer.
   */
  private async settle(): Promise<boolean> {
    const { unsure } = this;
    if (!unsure) return true;
    try {
      const last = await numberOf(this.parts.database, this.parts.lease.held);
      this.unsure = undefined;
      // Its sources were told that it was not kept; whoever sends the same again learns that it was.
      if (last > this.number) await goThrough(this.wayOn, unsure);
      return true;
    } catch (error) {
      if (error instanceof LostLease) this.parts.lease.lose();
      else if (!isAway(error)) this.parts.trouble(error, 'settling a commit');
      return false;
    }
  }

  /** Looks again until it is known what became of a commit, also when nothing else comes in. */
  private settleLater(): void {
    this.parts.clock.at(this.parts.clock.steady() + againMs, () => {
      if (this.stopped || !this.unsure || this.running) {
        if (this.unsure && !this.stopped) this.settleLater();
        return;
      }
      this.running = this.settle().then((known) => {
        this.running = undefined;
        if (!known) this.settleLater();
        if (this.queue.length > 0) this.running ??= this.run();
      });
    });
  }

  /** A batch was not kept. What the ledger refuses spoils only its own group: the others go again, each alone. */
  private async notKept(error: unknown, { judged, ...batch }: Batch): Promise<void> {
    if (isAway(error)) {
      this.unsure = { ...batch, judged };
      this.settleLater();
      for (const { group } of judged) group.refuse(new Refusal('ledger-away', {}, undefined, error));
      return;
    }
    if (error instanceof LostLease) {
      this.parts.lease.lose();
      for (const { group } of judged) group.refuse(new Refusal('held-elsewhere', { by: '' }));
      return;
    }
    if (judged.length > 1) {
      for (const { group } of judged) await this.batch([group]);
      return;
    }
    if (!(error instanceof Refusal) && !isKnownAlready(error)) this.parts.trouble(error, 'commit');
    for (const { group } of judged) group.refuse(error);
  }

  /** Steps the entries of each group; a group in which one cannot be stepped leaves nothing behind. */
  private judge(batch: Batch): void {
    const { groups, overlay } = batch;
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
    batch.judged = judged;
  }

  private keep(batch: Batch): void {
    const { changes } = batch.overlay;
    const stepped = steppedOf(batch);
    this.number += stepped.length;
    this.state.merge(changes);
    if (stepped.some(({ entry }) => entry.kind === 'timer')) pass('timer-due');
    if (stepped.some(({ result }) => result.deliveries.some(({ back }) => back))) pass('going-back');
    else if ([...changes.keys()].some((name) => name.startsWith('output/'))) pass('claim-set');
    for (const [name, value] of changes) {
      if (!name.startsWith('timer/')) continue;
      this.timers.get(name)?.();
      this.timers.delete(name);
      if (value === null) continue;
      this.arm(name, value as Timer);
      pass('timer-armed');
    }
  }

  private arm(name: string, timer: Timer): void {
    if (this.stopped) return;
    const due = () => {
      this.timers.delete(name);
      this.accept({ kind: 'timer', id: name.slice('timer/'.length) }).catch(() => {
        // Not kept, so it is still due: the row is there, and it is tried again.
        if (!this.stopped) this.timers.set(name, this.parts.clock.at(this.parts.clock.steady() + againMs, due));
      });
    };
    this.timers.set(name, this.parts.clock.at(timer.due, due));
  }
}
