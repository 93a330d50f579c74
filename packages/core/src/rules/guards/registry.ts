import { type Finding, type Guard, type GuardName, type GuardResult, guardNames, type SiteDocument } from '@causalis/contract';
import type { CompiledGuard, GuardKind, GuardSight, GuardSurroundings, MustBe } from './contract.js';
import { countGuard } from './count.js';
import { modeGuard } from './mode.js';
import { presentGuard } from './present.js';
import { readingGuard } from './reading.js';
import { scheduleGuard } from './schedule.js';

/** Every kind of guard by its word: a new one is one file and one line here. */
const kinds: { readonly [K in GuardName]: GuardKind<NonNullable<Guard[K]>> } = {
  schedule: scheduleGuard,
  mode: modeGuard,
  count: countGuard,
  reading: readingGuard,
  present: presentGuard,
};

/** A guard with its word. */
export interface NamedGuard extends CompiledGuard {
  readonly guard: GuardName;
}

/** The one word that a guard says, with its kind and value. */
function said(guard: Guard): { name: GuardName; kind: GuardKind<unknown>; value: unknown } {
  const name = guardNames.find((word) => guard[word] !== undefined);
  if (!name) throw new RangeError('a guard without a word');
  // The word picks its own kind and value; TypeScript cannot tie the two by itself.
  return { name, kind: kinds[name] as GuardKind<unknown>, value: guard[name] };
}

export function compileGuard(guard: Guard, around: GuardSurroundings): NamedGuard {
  const { name, kind, value } = said(guard);
  return { guard: name, ...kind.compile(value, around) };
}

export function checkGuard(guard: Guard, document: SiteDocument, path: Finding['path'], mustBe: MustBe): void {
  const { name, kind, value } = said(guard);
  kind.check(value, document, [...path, name], mustBe);
}

export function judgeGuard(named: NamedGuard, sight: GuardSight): GuardResult {
  const { holds, saw } = named.judge(sight);
  return { guard: named.guard, holds, wanted: named.wanted, saw };
}
