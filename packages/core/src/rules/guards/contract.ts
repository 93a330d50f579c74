import type { Finding, SiteDocument } from '@causalis/contract';
import type { Now } from '../../state.js';
import type { Zone } from '../../time/zone.js';

/** What a guard may look at when it judges. */
export interface GuardSight {
  readonly mode: string;
  readonly now: Now;
  readonly zone: Zone;
}

/** A guard of a rule, ready to judge. */
export interface CompiledGuard {
  /** What it wants, as the chain shows it. */
  readonly wanted: string;
  judge(sight: GuardSight): { readonly holds: boolean; readonly saw: string };
}

/** Names a thing that must exist; true when it does, otherwise there is a finding with the nearest known name. */
export type MustBe = (what: string, name: string, known: readonly string[], path: Finding['path']) => boolean;

/** One kind of guard: how its value in the document is made ready, and what of it can be wrong. */
export interface GuardKind<V> {
  compile(value: V, document: SiteDocument, zone: Zone): CompiledGuard;
  check(value: V, document: SiteDocument, path: Finding['path'], mustBe: MustBe): void;
}
