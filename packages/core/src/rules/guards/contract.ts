import type { Finding, SiteDocument } from '@causalis/contract';
import type { InputState, Now } from '../../state.js';
import type { CompiledSchedule } from '../../time/schedule.js';
import type { Counts } from '../counting.js';

/** What a guard may look at when it judges. */
export interface GuardSight {
  readonly mode: string;
  readonly now: Now;
  /** What an input said last. */
  readonly reading: (input: string) => InputState | undefined;
  /** Whether a member is there. */
  readonly present: (member: string) => boolean;
  /** What a counter says, by camera/mark. */
  readonly counts: (name: string) => Counts | undefined;
}

/** A guard of a rule, ready to judge. */
export interface CompiledGuard {
  /** What it wants, as the chain shows it. */
  readonly wanted: string;
  judge(sight: GuardSight): { readonly holds: boolean; readonly saw: string };
}

/** Names a thing that must exist; true when it does, otherwise there is a finding with the nearest known name. */
export type MustBe = (what: string, name: string, known: readonly string[], path: Finding['path']) => boolean;

/** What guards of one site share, made once for all of them. */
export interface GuardSurroundings {
  readonly document: SiteDocument;
  /** A named schedule, ready to be asked; one that does not exist holds never. */
  schedule(name: string): CompiledSchedule;
  /** Local day and time of an instant, as a guard shows it. */
  dayTime(utcMs: number): string;
}

/** One kind of guard: how its value in the document is made ready, and what of it can be wrong. */
export interface GuardKind<V> {
  compile(value: V, around: GuardSurroundings): CompiledGuard;
  check(value: V, document: SiteDocument, path: Finding['path'], mustBe: MustBe): void;
}
