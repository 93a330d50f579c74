import type { ClockShift } from './clock.js';
import type { Moment } from './moments.js';

/** What whoever forks the service may say to it: its clocks, a moment at which to end as if the power had gone, how full its disk is. */
export type ToService =
  | { readonly kind: 'shift'; readonly shift: ClockShift }
  | { readonly kind: 'end-at'; readonly moment: Moment }
  /** So much room is on the disk, as far as the service looks. */
  | { readonly kind: 'room'; readonly bytes: number };

export type FromService =
  | { readonly kind: 'ready'; readonly url: string }
  | { readonly kind: 'heard' }
  /** It could not start, and why. */
  | { readonly kind: 'refused'; readonly reason: string };
