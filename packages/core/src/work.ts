import type { Verdict } from '@causalis/contract';
import type { EventIn, NewDelivery, NewReceipt } from './entry.js';
import type { OpenFiring } from './firing/firing.js';
import type { CompiledSite } from './rules/compile.js';
import { type Now, type Overlay, stateKeys, type Timer } from './state.js';

/** The hand that a step works with: state to read and change, and what it has brought about so far. */
export interface Work {
  readonly site: CompiledSite;
  readonly state: Overlay;
  readonly now: Now;
  readonly newId: () => string;
  readonly events: { readonly event: EventIn; readonly verdicts: readonly Verdict[] }[];
  readonly firings: Map<string, OpenFiring>;
  readonly deliveries: NewDelivery[];
  readonly receipts: NewReceipt[];
}

/** Arms a timer: a row first, and only then something in memory. */
export function setTimer(work: Work, timer: Timer): void {
  work.state.set(stateKeys.timer(work.newId()), timer);
}
