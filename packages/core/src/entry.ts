import type { DeliveryState, EventData, EventKind, EventSection, LightValue, Priority, Verb, Verdict } from '@causalis/contract';
import type { EventFacts, OpenFiring } from './firing/firing.js';

/** An event as it enters, not judged yet. Times are wall ms. */
export interface EventIn {
  readonly id: string;
  readonly kind: EventKind;
  readonly section: EventSection;
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
  | { readonly kind: 'read-back'; readonly output: string; readonly value: LightValue }
  /** A counter begins at nothing. */
  | { readonly kind: 'reset'; readonly counter: string }
  | TryEntry
  | HandEntry
  | RetryEntry
  /** A delivery that has ended is sent once more. */
  | { readonly kind: 'again'; readonly delivery: OpenDelivery }
  /** A new revision is in force; outputs that it renames, old key to new. */
  | { readonly kind: 'revision'; readonly revision: number; readonly renamed: Readonly<Record<string, string>> };

/** A rule is fired by hand. */
export interface TryEntry {
  readonly kind: 'try';
  readonly rule: string;
  readonly event: EventIn;
  /** Its guards are told to stand aside. */
  readonly regardless: boolean;
}

/** A hand has an output do one thing: a test of it, or a device set. */
export interface HandEntry {
  readonly kind: 'hand';
  readonly output: string;
  readonly event: EventIn;
  readonly title: string;
  readonly priority: Priority;
  readonly recipient?: string;
  readonly words?: string;
  readonly value?: LightValue;
  readonly forMs?: number;
}

/** A delivery that has not arrived is tried again by hand; its firing as it is, or as it was when it ended. */
export interface RetryEntry {
  readonly kind: 'retry';
  readonly delivery: Pick<OpenDelivery, 'id' | 'action'> & { readonly aside: boolean };
  readonly firing: OpenFiring;
}

export interface EndedDelivery {
  readonly id: string;
  readonly firing: string;
  readonly action: string;
  readonly state: DeliveryState;
  /** It stands beside its firing's action: a light going back, or something sent again. */
  readonly aside: boolean;
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
  /** Where a head is turned to. */
  readonly preset?: string;
  readonly stills: readonly string[];
  readonly event: EventFacts;
  readonly rule: string;
  readonly title: string;
  readonly at: number;
  /** It is tried once: what failed is to be seen, not mended by trying. */
  readonly once?: boolean;
}

/** A delivery, from when an entry brings it about. */
export interface OpenDelivery {
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
  /** The delivery that this one sends again. */
  readonly again?: string;
}
export type NewDelivery = OpenDelivery;

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
