import type { Site } from '@causalis/contract';
import suncalc from 'suncalc';
import type { Clock } from './clock.js';

/** Dark is when the sun is this far below the horizon: the end of civil twilight. */
const darkBelow = (-6 * Math.PI) / 180;
const lookMs = 30_000;

/** Whether it is dark at a place at a time: the sun is 6° below the horizon. */
export const isDark = ({ latitude, longitude }: NonNullable<Site['position']>, wall: number): boolean =>
  suncalc.getPosition(new Date(wall), latitude, longitude).altitude < darkBelow;

/** Tells when it becomes dark and light at a site; a site of which nobody knows where it is has no night. */
export class Sky {
  private readonly clock: Clock;
  private readonly position: () => Site['position'];
  private readonly tell: (dark: boolean) => void;
  private cancel: () => void = () => undefined;

  constructor(clock: Clock, position: () => Site['position'], tell: (dark: boolean) => void) {
    this.clock = clock;
    this.position = position;
    this.tell = tell;
  }

  start(): void {
    const position = this.position();
    this.tell(position ? isDark(position, this.clock.wall()) : false);
    this.cancel = this.clock.at(this.clock.steady() + lookMs, () => this.start());
  }

  stop(): void {
    this.cancel();
  }
}
