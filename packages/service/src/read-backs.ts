import type { LightValue } from '@causalis/contract';
import type { Clock } from './clock.js';
import { Refusal } from './problem.js';

/** While the ledger is away, what a device last told waits for it. */
const againMs = 1_000;

/** What devices tell of themselves, on its way into the ledger: of each the newest, whenever it can be kept. */
export class ReadBacks {
  private readonly clock: Clock;
  private readonly accept: (output: string, value: LightValue) => Promise<unknown>;
  private readonly trouble: (error: unknown, what: string) => void;
  /** What each has told last: an older word that was not kept is never told after it. */
  private readonly newest = new Map<string, LightValue>();
  private readonly cancels = new Map<string, () => void>();

  constructor(
    clock: Clock,
    accept: (output: string, value: LightValue) => Promise<unknown>,
    trouble: (error: unknown, what: string) => void,
  ) {
    this.clock = clock;
    this.accept = accept;
    this.trouble = trouble;
  }

  told(output: string, value: LightValue): void {
    this.cancels.get(output)?.();
    this.cancels.delete(output);
    this.newest.set(output, value);
    this.accept(output, value).catch((error: unknown) => {
      if (!(error instanceof Refusal)) this.trouble(error, 'read-back');
      else if (error.code === 'ledger-away' && this.newest.get(output) === value) this.later(output, value);
    });
  }

  stop(): void {
    this.newest.clear();
    for (const cancel of this.cancels.values()) cancel();
  }

  private later(output: string, value: LightValue): void {
    this.cancels.set(
      output,
      this.clock.at(this.clock.steady() + againMs, () => this.told(output, value)),
    );
  }
}
