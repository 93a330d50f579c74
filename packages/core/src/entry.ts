import type { DeliveryState, EventData, EventKind, LightValue, Priority, Verb, Verdict } from '@causalis/contract';
import type { EventFacts, OpenFiring } from './firing/firing.js';

/** An event as it enters, not judged yet. Times are wall ms. */
export interface EventIn {
  readonly id: string;
  readonly kind: EventKind;
  readonly section: 'cameras' | 'hooks' | 'site';
  readonly source: string;
  readonly mark?: string;
  readonly span?: string;
  readonly data: EventData;
  readonly seen: number;
  readonly depth: number;
  readonly test: boolean;
  readonly time: number;
  readonly still?: string;
}

/** What the engine takes in. Each gets the site's next number and is stored. */
export type Entry =
  | { readonly kind: 'event'; readonly event: EventIn }
  | { readonly kind: 'timer'; readonly id: string }
  | { readonly kind: 'ended'; readonly delivery: EndedDelivery }
  | { readonly kind: 'mode'; readonly mode: string; readonly by: string }
  | { readonly kind: 'read-back'; readonly output: string; readonly value: LightValue };

export interface EndedDelivery {
  readonly id: string;
  readonly firing: string;
  readonly action: string;
  readonly state: DeliveryState;
  readonly back: boolean;
  readonly stills: readonly string[];
}

/** What an output gets, without address or secret: those are looked up when it is sent. */
export interface DeliveryContent {
  readonly verb: Verb;
  readonly words?: string;
  readonly member?: string;
  readonly to?: string;
  readonly value?: LightValue;
  readonly camera?: string;
  readonly stills: readonly string[];
  readonly event: EventFacts;
  readonly rule: string;
  readonly title: string;
  readonly at: number;
}

/** A delivery that an entry brought about. */
export interface NewDelivery {
  readonly id: string;
  readonly firing: string;
  readonly event: string;
  readonly rule: string;
  readonly action: string;
  readonly output: string;
  readonly recipient?: string;
  readonly priority: Priority;
  readonly back: boolean;
  readonly test: boolean;
  /** Steady ms; null never. */
  readonly expiresMs: number | null;
  readonly content: DeliveryContent;
}

export interface NewReceipt {
  readonly delivery: string;
  readonly kind: 'read-back';
  readonly value: LightValue;
}

/** All that follows from one entry; it becomes durable in one commit or not at all. */
export interface StepResult {
  /** Events of this entry with their verdicts: the one that came in, and those that followed. */
  readonly events: readonly { readonly event: EventIn; readonly verdicts: readonly Verdict[] }[];
  /** Firings that are new or have moved, as they are now. */
  readonly firings: readonly OpenFiring[];
  readonly deliveries: readonly NewDelivery[];
  readonly receipts: readonly NewReceipt[];
  readonly changes: ReadonlyMap<string, unknown>;
}
