import { Counter, collectDefaultMetrics, Gauge, Histogram, type OpenMetricsContentType, Registry } from 'prom-client';
import type { Stepped } from './ledger/stepped.js';

/** Seconds up to which things are told apart: a commit, an attempt, an answer. */
const seconds = [0.001, 0.002, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30];
const entriesABatch = [1, 2, 5, 10, 20, 50, 100, 200];

/** What the service counts and times of itself, for whoever watches it: OpenMetrics 1.0. */
export class Figures {
  private readonly registry = new Registry<OpenMetricsContentType>();
  private readonly events: Counter<'site' | 'kind'>;
  private readonly firings: Counter<'site'>;
  private readonly attempts: Counter<'site' | 'output' | 'outcome'>;
  private readonly attemptTime: Histogram<'site' | 'output'>;
  private readonly commitTime: Histogram<'site'>;
  private readonly batches: Histogram<'site'>;
  private readonly answers: Histogram<'method' | 'status'>;

  /** `inHand` and `ledgerUp` are asked when somebody looks. */
  constructor(inHand: () => Iterable<readonly [site: string, output: string, count: number]>, ledgerUp: () => Promise<boolean>) {
    this.registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE);
    const registers = [this.registry];
    collectDefaultMetrics({ register: this.registry });
    this.events = new Counter({ name: 'causalis_events', help: 'Events accepted.', labelNames: ['site', 'kind'], registers });
    this.firings = new Counter({ name: 'causalis_firings', help: 'Rules fired.', labelNames: ['site'], registers });
    this.attempts = new Counter({
      name: 'causalis_attempts',
      help: 'Attempts at deliveries, by what they came to.',
      labelNames: ['site', 'output', 'outcome'],
      registers,
    });
    this.attemptTime = new Histogram({
      name: 'causalis_attempt_seconds',
      help: 'How long attempts took.',
      labelNames: ['site', 'output'],
      buckets: seconds,
      registers,
    });
    this.commitTime = new Histogram({
      name: 'causalis_commit_seconds',
      help: 'How long a batch of entries took to become durable.',
      labelNames: ['site'],
      buckets: seconds,
      registers,
    });
    this.batches = new Histogram({
      name: 'causalis_batch_entries',
      help: 'Entries that became durable together.',
      labelNames: ['site'],
      buckets: entriesABatch,
      registers,
    });
    this.answers = new Histogram({
      name: 'causalis_answer_seconds',
      help: 'How long requests took to be answered.',
      labelNames: ['method', 'status'],
      buckets: seconds,
      registers,
    });
    new Gauge({
      name: 'causalis_deliveries_in_hand',
      help: 'Deliveries that this process is sending or about to send.',
      labelNames: ['site', 'output'],
      registers,
      collect() {
        this.reset();
        for (const [site, output, count] of inHand()) this.set({ site, output }, count);
      },
    });
    new Gauge({
      name: 'causalis_ledger_up',
      help: '1 while the ledger answers.',
      registers,
      async collect() {
        this.set((await ledgerUp()) ? 1 : 0);
      },
    });
  }

  entry(site: string, { result }: Stepped): void {
    for (const { event, verdicts } of result.events) {
      this.events.inc({ site, kind: event.kind });
      const fired = verdicts.filter(({ verdict }) => verdict === 'fired').length;
      if (fired > 0) this.firings.inc({ site }, fired);
    }
  }

  committed(site: string, entries: number, tookMs: number): void {
    this.commitTime.observe({ site }, tookMs / 1000);
    this.batches.observe({ site }, entries);
  }

  attempted(site: string, output: string, outcome: string, tookMs: number): void {
    this.attempts.inc({ site, output, outcome });
    this.attemptTime.observe({ site, output }, tookMs / 1000);
  }

  answered(method: string, status: number, tookMs: number): void {
    this.answers.observe({ method, status: `${Math.floor(status / 100)}xx` }, tookMs / 1000);
  }

  get contentType(): string {
    return this.registry.contentType;
  }

  /** Everything, as text. */
  text(): Promise<string> {
    return this.registry.metrics();
  }
}
