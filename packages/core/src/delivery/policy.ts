import type { DeliveryState, Verb } from '@causalis/contract';

/** How a kind of delivery is tried again, as data. */
export interface RetryPolicy {
  readonly firstMs: number;
  readonly factor: number;
  readonly mostMs: number;
  /** Share of each pause that chance may add, so that many do not come back at once. */
  readonly jitter: number;
  /** Given up after this long; null never. */
  readonly expiresMs: number | null;
}

const hour = 3_600_000;

/** Retry by what an action does: short where late is useless, long where late is better than never. */
export const retryPolicies: Record<Verb, RetryPolicy> = {
  set: { firstMs: 500, factor: 2, mostMs: 5_000, jitter: 0.2, expiresMs: 30_000 },
  call: { firstMs: 1_000, factor: 2, mostMs: 5 * 60_000, jitter: 0.2, expiresMs: hour },
  tell: { firstMs: 2_000, factor: 2, mostMs: 10 * 60_000, jitter: 0.2, expiresMs: 24 * hour },
  look: { firstMs: 1_000, factor: 2, mostMs: 5_000, jitter: 0.2, expiresMs: 20_000 },
  still: { firstMs: 500, factor: 2, mostMs: 10_000, jitter: 0.2, expiresMs: 60_000 },
};

/** A light goes back however long it takes. */
export const goingBack: RetryPolicy = { ...retryPolicies.set, mostMs: 60_000, expiresMs: null };

/** The pause after attempt `number` (from 1), in ms; `chance` from 0 to 1 is handed in. */
export function pauseAfter(policy: RetryPolicy, number: number, chance: number): number {
  const plain = Math.min(policy.mostMs, policy.firstMs * policy.factor ** (number - 1));
  return Math.round(plain * (1 + policy.jitter * chance));
}

/** What one attempt came to. */
export type AttemptOutcome = { readonly ok: true } | { readonly ok: false; readonly again: boolean };

/** What becomes of a delivery after an attempt; times are steady ms. */
export function afterAttempt(
  policy: RetryPolicy,
  attempt: { readonly number: number; readonly outcome: AttemptOutcome },
  times: { readonly expires: number | null; readonly now: number },
  chance: number,
): { readonly state: DeliveryState; readonly due?: number } {
  if (attempt.outcome.ok) return { state: 'delivered' };
  if (!attempt.outcome.again) return { state: 'failed' };
  if (times.expires !== null && times.now >= times.expires) return { state: 'expired' };
  const due = times.now + pauseAfter(policy, attempt.number, chance);
  // The last try comes at the expiry itself rather than not at all.
  return { state: 'retrying', due: times.expires === null ? due : Math.min(due, times.expires) };
}
