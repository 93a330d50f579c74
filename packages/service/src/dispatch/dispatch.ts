import { setMaxListeners } from 'node:events';
import type { Attempt, Output } from '@causalis/contract';
import { type AttemptOutcome, afterAttempt, goingBack, type NewDelivery, retryPolicies } from '@causalis/core';
import PQueue from 'p-queue';
import type { Clock } from '../clock.js';
import { deadline } from '../deadline.js';
import type { Lease } from '../lease.js';
import { type Database, isAway } from '../ledger/database.js';
import { LostLease } from '../ledger/leases.js';
import { recordAttempts, recoverTaken, type TakenDelivery, takeDue } from '../ledger/queue.js';
import type { AttemptRecord, EntryExtras } from '../ledger/stepped.js';
import { pass } from '../moments.js';
import type { Sent } from '../outputs/contract.js';
import type { Senders } from '../outputs/registry.js';
import { Refusal } from '../problem.js';

export interface DispatchParts {
  readonly database: Database;
  readonly lease: Lease;
  readonly clock: Clock;
  readonly process: string;
  readonly senders: Senders;
  readonly outputs: () => Readonly<Record<string, Output>>;
  readonly linkTo: (event: string) => string | undefined;
  /** Tells the engine that a delivery has ended, with the attempt that ended it: one commit. */
  readonly ended: (delivery: TakenDelivery, sent: Sent, state: 'delivered' | 'failed' | 'expired', extras: EntryExtras) => Promise<void>;
  /** A later command has taken the place of this one: an output that has a state is told the newest only. */
  readonly superseded: (delivery: TakenDelivery) => boolean;
  /** An output was asked, and how it went. */
  readonly attempted: (delivery: TakenDelivery, sent: Sent, tookMs: number) => void;
  /** A delivery moved and goes on. */
  readonly moved: (delivery: string) => void;
  readonly trouble: (error: unknown, what: string) => void;
}

/** One output is never asked more than this much at once; none waits for another. */
const atOnce = 4;
/** Longer than the longest limit of any kind of output. */
const attemptMs = 30_000;
/** An output that has this many in hand gets no more from the queue until half of them are done: memory stays bounded. */
const mostInHand = 200;
/** While the ledger is away, what is known is kept in memory and written when it is back. */
const againMs = 1_000;
/** The last try comes at the expiry itself; what is found later than this after it is not sent any more. */
const afterExpiryMs = 2_000;
const lanePriority = { urgent: 2, important: 1, routine: 0 } as const;

/** What waits before one output, and what of it is in this process's hands: from taken until recorded. */
class Lane {
  readonly queue = new PQueue({ concurrency: atOnce });
  inHand = 0;
  /** More is due over it than it had room for. */
  more = false;
}

/** Takes due deliveries, calls outputs, records attempts. */
export class Dispatch {
  private readonly parts: DispatchParts;
  private readonly lanes = new Map<string, Lane>();
  private cancel: () => void = () => undefined;
  private armed = Number.POSITIVE_INFINITY;
  private looking: Promise<void> | undefined;
  private stopped = false;
  private readonly stopping = new AbortController();
  private readonly recorder: Recorder;

  constructor(parts: DispatchParts) {
    this.parts = parts;
    // Every attempt that is on its way listens to it.
    setMaxListeners(0, this.stopping.signal);
    this.recorder = new Recorder((records) => recordAttempts(parts.database, parts.lease.held, records));
  }

  /** Recovers what an ended process left, and looks for what is due. */
  async start(): Promise<void> {
    const { database, lease, process, clock } = this.parts;
    await recoverTaken(database, lease.held, process, clock.steady(), clock.wall());
    pass('recovered');
    this.lookAt(clock.steady());
  }

  /** Sends what was just committed: written as taken already, so no queue is asked. */
  handOver(deliveries: readonly NewDelivery[], steady: number): void {
    for (const { expiresMs, ...delivery } of deliveries)
      this.enqueue({ ...delivery, attempt: 1, expires: expiresMs === null ? null : steady + expiresMs });
  }

  /** Looks at a steady time, or earlier when something else is due before. */
  lookAt(steady: number): void {
    if (this.stopped || steady >= this.armed) return;
    this.cancel();
    this.armed = steady;
    this.cancel = this.parts.clock.at(steady, () => {
      this.armed = Number.POSITIVE_INFINITY;
      const before = this.looking;
      this.looking = (async () => {
        await before;
        await this.look();
      })();
    });
  }

  /** How much is in hand, by output. */
  get inHand(): ReadonlyMap<string, number> {
    return new Map([...this.lanes].map(([output, { inHand }]) => [output, inHand]));
  }

  async stop(): Promise<void> {
    this.stopped = true;
    this.cancel();
    this.stopping.abort();
    for (const { queue } of this.lanes.values()) queue.clear();
    await Promise.all([this.looking, ...[...this.lanes.values()].map(({ queue }) => queue.onIdle())]);
  }

  private async look(): Promise<void> {
    const { database, lease, process, clock } = this.parts;
    if (this.stopped || !(await lease.holds())) return;
    try {
      const { deliveries, next, more } = await takeDue(database, lease.held, clock.steady(), process, (output) => this.roomOf(output));
      pass('taken');
      for (const output of more) this.lane(output).more = true;
      for (const delivery of deliveries) this.enqueue(delivery);
      if (next !== undefined) this.lookAt(next);
      // What was taken may have ended meanwhile: then nothing that ends will make room, and there is room already.
      if ([...more].some((output) => this.roomOf(output) > 0)) this.lookAt(clock.steady());
    } catch (error) {
      if (error instanceof LostLease) {
        lease.lose();
        return;
      }
      if (!isAway(error)) this.parts.trouble(error, 'dispatch');
      this.lookAt(clock.steady() + againMs);
    }
  }

  private lane(output: string): Lane {
    let lane = this.lanes.get(output);
    if (!lane) {
      lane = new Lane();
      this.lanes.set(output, lane);
    }
    return lane;
  }

  /** How much more an output may be given: what else is due over it waits in the ledger, and holds up no other output. */
  private roomOf(output: string): number {
    const lane = this.lane(output);
    return lane.inHand > mostInHand / 2 ? 0 : mostInHand - lane.inHand;
  }

  private enqueue(delivery: TakenDelivery): void {
    const lane = this.lane(delivery.output);
    lane.inHand++;
    this.attempt(delivery, lane)
      .catch((error: unknown) => this.parts.trouble(error, 'delivery'))
      .finally(() => {
        lane.inHand--;
        // Half of what it had in hand is done: more of it may come.
        if (!lane.more || lane.inHand > mostInHand / 2) return;
        lane.more = false;
        this.lookAt(this.parts.clock.steady());
      });
  }

  /** One attempt: send, in the lane of its output → what becomes of it → record. */
  private async attempt(delivery: TakenDelivery, lane: Lane): Promise<void> {
    const { clock } = this.parts;
    const tried = await lane.queue.add(() => this.tryOnce(delivery), { priority: lanePriority[delivery.priority] });
    if (!tried) return;
    const { attempt, sent } = tried;
    if (sent.code !== 'too-late' && sent.code !== 'superseded') this.parts.attempted(delivery, sent, attempt.tookMs ?? 0);
    const policy = delivery.back ? goingBack : retryPolicies[delivery.content.verb];
    const outcome: AttemptOutcome = sent.ok
      ? { ok: true }
      : { ok: false, again: sent.code !== 'superseded' && (delivery.back || (sent.again && !delivery.content.once)) };
    const next = afterAttempt(
      policy,
      { number: delivery.attempt, outcome },
      { expires: delivery.expires, now: clock.steady() },
      Math.random(),
    );
    const over = next.state === 'delivered' || next.state === 'failed' || next.state === 'expired' ? next.state : undefined;
    const record: AttemptRecord = {
      delivery: delivery.id,
      attempt,
      state: next.state,
      ...(next.due === undefined ? {} : { due: next.due }),
      ...(over ? { ended: clock.wall() } : {}),
    };
    await this.untilKept(async () => {
      if (over) await this.parts.ended(delivery, sent, over, { attempt: record });
      else await this.recorder.record(record);
    });
    pass('recorded');
    if (!over) this.parts.moved(delivery.id);
    if (next.due !== undefined) this.lookAt(next.due);
  }

  /** Asks the output once; nothing when another process works for the site by now. */
  private async tryOnce(delivery: TakenDelivery): Promise<{ attempt: Attempt; sent: Sent } | undefined> {
    const { clock, lease } = this.parts;
    if (!(await lease.holds())) return undefined;
    const wall = clock.wall();
    const began = performance.now();
    const late = delivery.expires !== null && clock.steady() > delivery.expires + afterExpiryMs;
    const sent: Sent = this.parts.superseded(delivery)
      ? { ok: false, again: false, code: 'superseded' }
      : late
        ? { ok: false, again: true, code: 'too-late' }
        : await this.send(delivery);
    pass('sent');
    const tookMs = Math.round((performance.now() - began) * 1000) / 1000;
    const attempt: Attempt = {
      number: delivery.attempt,
      began: new Date(wall).toISOString(),
      tookMs,
      outcome: sent.ok ? 'delivered' : 'failed',
      code: sent.code,
      ...(sent.answer ? { answer: sent.answer } : {}),
      ...(sent.steps?.length ? { steps: [...sent.steps] } : {}),
    };
    return { attempt, sent };
  }

  private async send(delivery: TakenDelivery): Promise<Sent> {
    const output = this.parts.outputs()[delivery.output];
    const send = this.parts.senders(delivery.output, output);
    if (!send) return { ok: false, again: true, code: 'output-gone' };
    pass('sending');
    const limit = deadline(attemptMs, this.stopping.signal);
    const hung = new Promise<Sent>((resolve) =>
      limit.signal.addEventListener('abort', () => resolve({ ok: false, again: true, code: 'no-answer' }), { once: true }),
    );
    const sending = {
      key: delivery.id,
      attempt: delivery.attempt,
      priority: delivery.priority,
      test: delivery.test,
      content: delivery.content,
      link: this.parts.linkTo(delivery.content.event.id),
    };
    try {
      return await Promise.race([
        send(output, delivery.recipient === undefined ? sending : { ...sending, recipient: delivery.recipient }, limit.signal),
        hung,
      ]);
    } catch (error) {
      this.parts.trouble(error, `output ${delivery.output}`);
      return { ok: false, again: true, code: 'went-wrong' };
    } finally {
      limit.clear();
    }
  }

  /** Keeps what is known of an attempt until the ledger has it; a process that ends before sends again, with the same key. */
  private async untilKept(write: () => Promise<void>): Promise<void> {
    for (;;) {
      try {
        await write();
        return;
      } catch (error) {
        if (error instanceof LostLease) this.parts.lease.lose();
        if (this.stopped || !(await this.parts.lease.holds())) return;
        if (!isAway(error) && !isKnownAway(error)) this.parts.trouble(error, 'recording an attempt');
        await new Promise<void>((resolve) => {
          this.parts.clock.at(this.parts.clock.steady() + againMs, resolve);
        });
      }
    }
  }
}

const isKnownAway = (error: unknown): boolean => error instanceof Refusal && error.code === 'ledger-away';

/** Records attempts after which deliveries go on: what comes while one write runs goes with the next. */
class Recorder {
  private readonly write: (records: readonly AttemptRecord[]) => Promise<void>;
  private waiting: { record: AttemptRecord; kept: () => void; failed: (error: unknown) => void }[] = [];
  private running = false;

  constructor(write: (records: readonly AttemptRecord[]) => Promise<void>) {
    this.write = write;
  }

  record(record: AttemptRecord): Promise<void> {
    return new Promise((kept, failed) => {
      this.waiting.push({ record, kept, failed });
      if (!this.running) void this.run();
    });
  }

  private async run(): Promise<void> {
    this.running = true;
    await Promise.resolve();
    while (this.waiting.length > 0) {
      const some = this.waiting.splice(0, mostInHand);
      try {
        await this.write(some.map(({ record }) => record));
        for (const { kept } of some) kept();
      } catch (error) {
        for (const { failed } of some) failed(error);
      }
    }
    this.running = false;
  }
}
