import type { Delivery, DeliveryState } from '@causalis/contract';
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

/** Whether a delivery in this state can still be cancelled. */
export const isCancellable = (state: DeliveryState): boolean => state === 'waiting' || state === 'retrying';

/** Whether what a delivery carried can be sent once more: messages and calls whose matter has ended. */
export const isSendable = ({ state, verb }: Pick<Delivery, 'state' | 'verb'>): boolean =>
  (verb === 'tell' || verb === 'call') && ['delivered', 'failed', 'expired', 'cancelled'].includes(state);
