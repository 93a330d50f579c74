import type { ActionReport, Chain, Firing } from '@causalis/contract';
import { durationText } from '@causalis/words';

const ms = (iso: string): number => Date.parse(iso);

/** Length of the thread between two steps, in rem: a hundred times the time is twice as much thread. */
export function threadLength(elapsedMs: number): number {
  return elapsedMs <= 0 ? 0.5 : Math.min(5, 0.7 + 0.85 * Math.log10(1 + elapsedMs));
}

/** A scale of time on which milliseconds and minutes are both to be seen: logarithmic, from the firing on. */
export interface Scale {
  /** Place of a time, 0 to 1. */
  at(iso: string): number;
  readonly ticks: readonly { readonly at: number; readonly text: string }[];
}

const marks = [10, 100, 1_000, 10_000, 60_000, 600_000, 3_600_000, 86_400_000];
/** Below this the scale is nearly straight. */
const bendMs = 8;

/** The scale for one firing, long enough for all that came of it; `now` keeps an open one growing. */
export function scaleOf(firing: Firing, now: number): Scale {
  const zero = ms(firing.at);
  const times = firing.actions.flatMap((action) => [
    ...(action.started ? [action.started] : []),
    ...action.deliveries.flatMap((delivery) => [
      ...delivery.attempts.map(({ began }) => began),
      ...delivery.receipts.map(({ at }) => at),
      ...(delivery.ended ? [delivery.ended] : []),
    ]),
  ]);
  const open = firing.actions.some((action) => action.deliveries.some(isOpen));
  const last = Math.max(100, ...times.map((time) => ms(time) - zero), ...(open ? [now - zero] : []));
  const bend = (time: number) => Math.log10(1 + Math.max(0, time) / bendMs);
  // A little room behind the last knot for its name.
  const whole = bend(last) * 1.06;
  return {
    at: (iso) => bend(ms(iso) - zero) / whole,
    ticks: marks
      .filter((mark) => mark <= last)
      .map((mark) => ({ at: bend(mark) / whole, text: durationText(mark).replace(/ 00 [ms]$/, '') })),
  };
}

const isOpen = ({ state }: { state: string }): boolean => ['waiting', 'sending', 'retrying'].includes(state);

/** How many deliveries a chain has, and how many of them have arrived or still go on. */
export function countDeliveries(chain: Chain): { all: number; delivered: number; open: number } {
  const deliveries = chain.firings.flatMap(({ actions }) => actions.flatMap((action: ActionReport) => action.deliveries));
  return {
    all: deliveries.length,
    delivered: deliveries.filter(({ state }) => state === 'delivered').length,
    open: deliveries.filter(isOpen).length,
  };
}
