import type { LightValue, Priority } from '@causalis/contract';

/** A firing's hold on an output that has a state; `O` is what its owner wants to remember of where it came from. */
export interface Claim<O = unknown> {
  readonly origin: O;
  readonly firing: string;
  readonly action: string;
  readonly value: LightValue;
  readonly priority: Priority;
  /** Steady ms at which it ends. */
  readonly until: number;
}

/** What is known of an output that has a state. */
export interface OutputState<O = unknown> {
  /** Oldest first. */
  readonly claims: readonly Claim<O>[];
  /** What the output was before the first of the claims; what it returns to. */
  readonly before: LightValue | null;
  /** What was last set, by us. */
  readonly shown: LightValue | null;
  /** What was set lately, with steady times: a late read-back of one of these is no other hand. */
  readonly lately: readonly { readonly value: LightValue; readonly at: number }[];
  readonly readBack: LightValue | null;
  /** The delivery that set it last: the first read-back that agrees is its receipt. */
  readonly delivery?: string;
  readonly confirmed?: boolean;
}

export const untouched: OutputState<never> = { claims: [], before: null, shown: null, lately: [], readBack: null };

/** A read-back within this long may still tell of an older command. */
const latelyMs = 5_000;
export const ranks: Record<Priority, number> = { routine: 0, important: 1, urgent: 2 };

/** True when a device that tells `told` is in the state `wanted`: what was not asked for may be anything. */
export const agrees = (wanted: LightValue, told: LightValue): boolean =>
  wanted.power === told.power && (wanted.level === undefined || wanted.level === told.level);

/** The claim that shows: the newest of the highest priority. */
export function showing<O>(claims: readonly Claim<O>[]): Claim<O> | undefined {
  let top: Claim<O> | undefined;
  for (const claim of claims) if (!top || ranks[claim.priority] >= ranks[top.priority]) top = claim;
  return top;
}

const set = <O>(state: OutputState<O>, value: LightValue, now: number): OutputState<O> => ({
  ...state,
  shown: value,
  confirmed: false,
  lately: [...state.lately.filter(({ at }) => now - at <= latelyMs), { value, at: now }],
});

/** A result: the next state, and the value to send where one must be sent. */
export interface ClaimStep<O> {
  readonly state: OutputState<O>;
  readonly send?: LightValue;
}

/** What an output is now as far as is known: a command that no read-back has confirmed yet is newer than the last read-back. */
const known = <O>(state: OutputState<O>, rest: LightValue): LightValue =>
  (state.confirmed === false ? state.shown : state.readBack) ?? state.shown ?? rest;

/** Adds a claim. Nothing is sent where a claim of higher priority shows. */
export function claimOutput<O>(state: OutputState<O>, claim: Claim<O>, rest: LightValue, now: number): ClaimStep<O> {
  const before = state.claims.length === 0 ? known(state, rest) : state.before;
  const claims = [...state.claims.filter((one) => one.firing !== claim.firing || one.action !== claim.action), claim];
  const next = { ...state, claims, before };
  return showing(claims) === claim ? { state: set(next, claim.value, now), send: claim.value } : { state: next };
}

/** Sets a value for good: claims of the same or a lower priority end, and it is what remains after the others. */
export function setOutput<O>(state: OutputState<O>, value: LightValue, priority: Priority, now: number): ClaimStep<O> {
  const claims = state.claims.filter((claim) => ranks[claim.priority] > ranks[priority]);
  if (claims.length > 0) return { state: { ...state, claims, before: value } };
  return { state: set({ ...state, claims, before: null }, value, now), send: value };
}

/** Ends the claims whose time has come; when none is left the value from before the first returns. */
export function endClaims<O>(state: OutputState<O>, now: number): ClaimStep<O> & { readonly ended: readonly Claim<O>[] } {
  const ended = state.claims.filter(({ until }) => until <= now);
  if (ended.length === 0) return { state, ended };
  const claims = state.claims.filter(({ until }) => until > now);
  const value = showing(claims)?.value ?? state.before;
  const next = { ...state, claims, before: claims.length === 0 ? null : state.before };
  const same = value === null || (state.shown !== null && agrees(value, state.shown) && agrees(state.shown, value));
  return same ? { state: next, ended } : { state: set(next, value, now), send: value, ended };
}

/** What a read-back says: a receipt of our own command, nothing new, or another hand, which ends all claims. */
export function readBackOutput<O>(
  state: OutputState<O>,
  told: LightValue,
  now: number,
): { readonly state: OutputState<O>; readonly meaning: 'receipt' | 'nothing' | 'hand' } {
  const ours = state.shown !== null && agrees(state.shown, told);
  const next = { ...state, readBack: told, ...(ours ? { confirmed: true } : {}) };
  const receipt = ours && state.confirmed === false;
  if (state.readBack && agrees(state.readBack, told) && agrees(told, state.readBack))
    return { state: next, meaning: receipt ? 'receipt' : 'nothing' };
  if (ours) return { state: next, meaning: receipt ? 'receipt' : 'nothing' };
  const lately = state.lately.filter(({ at }) => now - at <= latelyMs);
  // Until a device has confirmed a command, what it tells may be from before it: a retained state, a regular report.
  if (lately.length > 0 && (state.confirmed === false || lately.some(({ value }) => agrees(value, told))))
    return { state: next, meaning: 'nothing' };
  return { state: { ...next, claims: [], before: null, shown: null, lately: [] }, meaning: state.shown === null ? 'nothing' : 'hand' };
}
