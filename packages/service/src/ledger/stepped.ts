import type { Attempt, DeliveryState } from '@causalis/contract';
import type { Entry, Now, StepResult } from '@causalis/core';

/** A kept picture, as the ledger knows it. */
export interface MediaRow {
  readonly id: string;
  readonly camera: string;
  readonly event?: string;
  readonly at: number;
  readonly path: string;
  readonly bytes: number;
}

/** An attempt with what became of its delivery. Times: wall ms, `due` steady ms. */
export interface AttemptRecord {
  readonly delivery: string;
  readonly attempt: Attempt;
  readonly state: DeliveryState;
  readonly due?: number;
  readonly ended?: number;
}

/** What comes with an entry and becomes durable in the same commit. */
export interface EntryExtras {
  readonly media?: readonly MediaRow[];
  /** Source and id of a CloudEvent: the same within a day is accepted once. */
  readonly once?: string;
  /** It was accepted before, too long ago to count. */
  readonly anew?: boolean;
  readonly attempt?: AttemptRecord;
  /** A delivery that a hand makes due at once, or cancels; the entry is refused when it is in no state for that. */
  readonly byHand?: { readonly delivery: string; readonly does: 'retry' | 'cancel'; readonly expires: number | null };
}

/** One entry as it was stepped, ready for the ledger. */
export interface Stepped {
  readonly number: number;
  /** The document's, by which it was judged. */
  readonly revision: number;
  readonly entry: Entry;
  readonly now: Now;
  readonly extras: EntryExtras;
  readonly result: StepResult;
}
