import type { StreamMessage } from '@causalis/contract';
import { newId } from '../ids.js';

/** One message of the stream with the id that a client resumes after. */
export interface Announced {
  readonly id: string;
  readonly message: StreamMessage;
}

/** As many messages are kept for those who come back after a short while. */
const keepMost = 2_000;
/** Whoever has listened and comes back within this time misses nothing. */
const comeBackMs = 60_000;

/**
 * What happens at a site, told to everybody who listens. Messages are numbered within this process; who comes back
 * after one that is no longer known, or from before a restart, is told to read afresh.
 */
export class Announcer {
  private readonly epoch = newId().slice(0, 8);
  private number = 0;
  private kept: Announced[] = [];
  private readonly listeners = new Set<(announced: Announced) => void>();
  private lastListened = Number.NEGATIVE_INFINITY;

  announce(message: StreamMessage): void {
    const announced = { id: `${this.epoch}-${++this.number}`, message };
    this.kept.push(announced);
    if (this.kept.length > keepMost) this.kept = this.kept.slice(-keepMost / 2);
    for (const listener of this.listeners) listener(announced);
  }

  /** Id of the newest message: what follows it is all that a new listener has to hear. */
  get newest(): string {
    return `${this.epoch}-${this.number}`;
  }

  /** What was missed since a message; nothing when that cannot be said any more. */
  since(id: string): readonly Announced[] | undefined {
    if (id === this.newest) return [];
    const at = this.kept.findIndex((announced) => announced.id === id);
    return at < 0 ? undefined : this.kept.slice(at + 1);
  }

  /** Whether somebody listens, or did a moment ago and may come back. */
  get heard(): boolean {
    return this.listeners.size > 0 || performance.now() - this.lastListened < comeBackMs;
  }

  /** Something happened that nobody hears: who comes back later reads afresh. */
  skip(): void {
    this.number++;
    this.kept = [];
  }

  listen(listener: (announced: Announced) => void): () => void {
    this.listeners.add(listener);
    return () => {
      this.lastListened = performance.now();
      this.listeners.delete(listener);
    };
  }
}
