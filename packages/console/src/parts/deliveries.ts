import type { DeliveryState } from '@causalis/contract';
import type { KnotKind } from './Knot.vue';

/** The shape of each state of a delivery. */
export const deliveryKnots: Record<DeliveryState, KnotKind> = {
  waiting: 'open',
  sending: 'open',
  retrying: 'retrying',
  delivered: 'delivered',
  failed: 'failed',
  expired: 'failed',
  cancelled: 'held',
};

/** Whether a delivery in this state can be tried again by hand. */
export const isRetryable = (state: DeliveryState): boolean => ['waiting', 'retrying', 'failed', 'expired'].includes(state);
