/**
 * Both clocks of the service. Wall time is for schedules, the sun and records; steady time is for everything that
 * is due after a while. Steady time counts on from the wall time at the start and never jumps.
 */
export interface Clock {
  wall(): number;
  steady(): number;
  /** Calls back once when steady time has come; returns how to forget it. */
  at(steady: number, call: () => void): () => void;
}

/** Node's timers hold no longer pause than this. */
const longestPause = 2 ** 31 - 1;

/** How far a test has moved the clocks, in ms. */
export interface ClockShift {
  readonly wall: number;
  readonly steady: number;
}

/** The clocks of this machine, which a test may move on: the only way in is `shift`. */
export class SystemClock implements Clock {
  private readonly origin = Date.now() - performance.now();
  private moved: ClockShift = { wall: 0, steady: 0 };
  private readonly waiting = new Set<() => void>();

  wall(): number {
    return Date.now() + this.moved.wall;
  }

  steady(): number {
    return Math.round(this.origin + performance.now() + this.moved.steady);
  }

  at(steady: number, call: () => void): () => void {
    let timer: NodeJS.Timeout | undefined;
    const stop = () => {
      clearTimeout(timer);
      this.waiting.delete(look);
    };
    const look = () => {
      clearTimeout(timer);
      const left = steady - this.steady();
      if (left > 0) {
        timer = setTimeout(look, Math.min(left, longestPause));
        return;
      }
      stop();
      call();
    };
    this.waiting.add(look);
    timer = setTimeout(look, Math.max(0, Math.min(steady - this.steady(), longestPause)));
    return stop;
  }

  /** Moves the clocks to a total shift, and looks again at everything that waits. */
  shift(to: ClockShift): void {
    this.moved = to;
    for (const look of [...this.waiting]) look();
  }
}
