import type { Attempt, Output } from '@causalis/contract';
import { type AttemptOutcome, afterAttempt, goingBack, type NewDelivery, retryPolicies } from '@causalis/core';
import PQueue from 'p-queue';
import type { Clock } from '../clock.js';
import { type Database, isAway } from '../ledger/database.js';
import { nextDue, recordAttempt, recoverTaken, type TakenDelivery, takeDue } from '../ledger/queue.js';
import type { AttemptRecord, EntryExtras } from '../ledger/stepped.js';
import { pass } from '../moments.js';
import type { Sent } from '../outputs/contract.js';
import type { Senders } from '../outputs/registry.js';

export interface DispatchParts {
  readonly database: Database;
  readonly site: number;
  readonly clock: Clock;
  readonly process: string;
  readonly senders: Senders;
  readonly outputs: () => Readonly<Record<string, Output>>;
  readonly linkTo: (event: string) => string | undefined;
  /** Tells the engine that a delivery has ended, with the attempt that ended it: one commit. */
  readonly ended: (delivery: TakenDelivery, sent: Sent, state: 'delivered' | 'failed' | 'expired', extras: EntryExtras) => Promise<void>;
  /** A delivery moved and goes on. */
  readonly moved: (delivery: string) => void;
  readonly trouble: (error: unknown, what: string) => void;
}

/** One output is never asked more than this much at once; none waits for another. */
const atOnce = 4;
/** Longer than the longest limit of any kind of output. */
const attemptMs = 30_000;
const takeMost = 100;
/** An output that has this many in hand gets no more from the queue until half of them are done: memory stays bounded. */
const mostInHand = 200;
/** While the ledger is away, what is known is kept in memory and written when it is back. */
const againMs = 1_000;
/** The last try comes at the expiry itself; what is found later than this after it is not sent any more. */
const afterExpiryMs = 2_000;
const lanePriority = { urgent: 2, important: 1, routine: 0 } as const;

/** Takes due deliveries, calls outputs, records attempts. */
export class Dispatch {
  private readonly parts: DispatchParts;
  private readonly lanes = new Map<string, PQueue>();
  /** Outputs that were passed over because they had enough in hand. */
  private readonly full = new Set<string>();
  private cancel: () => void = () => undefined;
  private armed = Number.POSITIVE_INFINITY;
  private stopped = false;
  private readonly stopping = new AbortController();

  constructor(parts: DispatchParts) {
    this.parts = parts;
  }

  /** Recovers what an ended process left, and looks for what is due. */
  async start(): Promise<void> {
    const { database, site, process, clock } = this.parts;
    await recoverTaken(database, site, process, clock.steady(), clock.wall());
    await this.look();
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
      void this.look();
    });
  }

  async stop(): Promise<void> {
    this.stopped = true;
    this.cancel();
    this.stopping.abort();
    await Promise.all([...this.lanes.values()].map((lane) => lane.clear() ?? lane.onIdle()));
  }

  private async look(): Promise<void> {
    const { database, site, process, clock } = this.parts;
    try {
      for (let full = true; full && !this.stopped; ) {
        const taken = await takeDue(database, site, clock.steady(), takeMost, process, this.busy());
        for (const delivery of taken) this.enqueue(delivery);
        full = taken.length === takeMost;
      }
      const due = await nextDue(database, site, this.busy());
      if (due !== undefined) this.lookAt(due);
    } catch (error) {
      if (!isAway(error)) this.parts.trouble(error, 'dispatch');
      this.lookAt(clock.steady() + againMs);
    }
  }

  /** Outputs that have enough in hand: what else is due over them waits in the ledger, and holds up no other output. */
  private busy(): string[] {
    const busy = [...this.lanes].flatMap(([output, lane]) => (lane.size + lane.pending >= mostInHand ? [output] : []));
    for (const output of busy) this.full.add(output);
    return busy;
  }

  /** Half of what a busy output had in hand is done: more of it may come. */
  private drained(output: string, lane: PQueue): void {
    if (!this.full.has(output) || lane.size + lane.pending > mostInHand / 2) return;
    this.full.delete(output);
    this.lookAt(this.parts.clock.steady());
  }

  private enqueue(delivery: TakenDelivery): void {
    let lane = this.lanes.get(delivery.output);
    if (!lane) {
      lane = new PQueue({ concurrency: atOnce });
      this.lanes.set(delivery.output, lane);
    }
    const own = lane;
    own
      .add(() => this.attempt(delivery), { priority: lanePriority[delivery.priority] })
      .catch((error: unknown) => this.parts.trouble(error, 'delivery'))
      .finally(() => this.drained(delivery.output, own));
  }

  /** One attempt: send → what becomes of it → record. */
  private async attempt(delivery: TakenDelivery): Promise<void> {
    const { clock } = this.parts;
    const wall = clock.wall();
    const began = performance.now();
    const late = delivery.expires !== null && clock.steady() > delivery.expires + afterExpiryMs;
    const sent: Sent = late ? { ok: false, again: true, code: 'too-late' } : await this.send(delivery);
    pass('answered');
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
    const policy = delivery.back ? goingBack : retryPolicies[delivery.content.verb];
    const outcome: AttemptOutcome = sent.ok ? { ok: true } : { ok: false, again: delivery.back || (sent.again && !delivery.content.once) };
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
      else await recordAttempt(this.parts.database, this.parts.site, record);
    });
    pass('attempt-recorded');
    if (!over) this.parts.moved(delivery.id);
    if (next.due !== undefined) this.lookAt(next.due);
  }

  private async send(delivery: TakenDelivery): Promise<Sent> {
    const output = this.parts.outputs()[delivery.output];
    const send = this.parts.senders(delivery.output, output);
    if (!send) return { ok: false, again: true, code: 'output-gone' };
    pass('sending');
    const limit = AbortSignal.any([AbortSignal.timeout(attemptMs), this.stopping.signal]);
    const hung = new Promise<Sent>((resolve) =>
      limit.addEventListener('abort', () => resolve({ ok: false, again: true, code: 'no-answer' }), { once: true }),
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
        send(output, delivery.recipient === undefined ? sending : { ...sending, recipient: delivery.recipient }, limit),
        hung,
      ]);
    } catch (error) {
      this.parts.trouble(error, `output ${delivery.output}`);
      return { ok: false, again: true, code: 'went-wrong' };
    }
  }

  /** Keeps what is known of an attempt until the ledger has it; a process that ends before sends again, with the same key. */
  private async untilKept(write: () => Promise<void>): Promise<void> {
    for (;;) {
      try {
        await write();
        return;
      } catch (error) {
        if (this.stopped) return;
        this.parts.trouble(error, 'recording an attempt');
        await new Promise<void>((resolve) => {
          this.parts.clock.at(this.parts.clock.steady() + againMs, resolve);
        });
      }
    }
  }
}
