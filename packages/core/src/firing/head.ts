import type { Priority, SkipReason } from '@causalis/contract';
import { ranks } from '../delivery/claims.js';
import type { ClaimOrigin } from './firing.js';

/** Rules keep away from a head for this long after a hand has steered it. */
export const handHoldsMs = 60_000;
/** A rule's look is not taken over by another of the same priority before this. */
export const shortestStayMs = 10_000;

/** A rule's hold on a head. Times: steady ms. */
export interface Look {
  readonly origin: ClaimOrigin;
  readonly firing: string;
  readonly action: string;
  readonly preset: string;
  readonly priority: Priority;
  readonly since: number;
  /** When it goes back; nothing for one that stays. */
  readonly until?: number;
}

/** What is known of a camera's head. */
export interface HeadState {
  readonly now?: Look;
  /** Where it goes back to: the place where a hand, or a rule that stays, sent it last. */
  readonly rest: string;
  readonly handUntil?: number;
  /** The delivery that was sent to it last; `hand` after a hand: what is older is not sent any more. */
  readonly delivery?: string;
}

/** A head that nobody has steered yet goes back home. */
export const untouchedHead: HeadState = { rest: 'home' };

/** Whether a rule may turn a head now; else why not. A hand beats rules; among them priority and shortest stay decide. */
export function mayLook(state: HeadState, priority: Priority, now: number): SkipReason | undefined {
  if (state.handUntil !== undefined && now < state.handUntil) return 'hand-at-head';
  const { now: look } = state;
  if (!look || (look.until !== undefined && look.until <= now)) return undefined;
  if (ranks[priority] > ranks[look.priority]) return undefined;
  if (ranks[priority] < ranks[look.priority] && look.until !== undefined) return 'head-busy';
  return now - look.since < shortestStayMs ? 'head-busy' : undefined;
}

/** A hand has steered: every look ends, and nothing goes back. `place` is a preset, a tour or home; nothing for a turn by speed. */
export function handSteered(state: HeadState, place: string | undefined, now: number): HeadState {
  return { rest: place ?? state.rest, handUntil: now + handHoldsMs, delivery: 'hand' };
}
