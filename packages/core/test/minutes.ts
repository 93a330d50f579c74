import { parseDates, parseDays, parseStretch, type Schedule } from '@causalis/contract';

const minuteMs = 60_000;
const dayMinutes = 1_440;

/** What the clocks of a zone show at every minute of a stretch of time, asked of Intl hour by hour. */
export class WallClock {
  /** Local minute of each UTC minute, from `from` on; both counted from 1970-01-01. */
  readonly local: Int32Array;
  readonly from: number;
  private readonly first = new Map<number, number>();
  private readonly last = new Map<number, number>();

  constructor(timezone: string, fromMs: number, untilMs: number) {
    const format = new Intl.DateTimeFormat('en-US', {
      timeZone: timezone,
      hourCycle: 'h23',
      year: 'numeric',
      month: 'numeric',
      day: 'numeric',
      hour: 'numeric',
      minute: 'numeric',
    });
    const show = (ms: number): number => {
      const part = Object.fromEntries(format.formatToParts(ms).map(({ type, value }) => [type, Number(value)]));
      return Date.UTC(part.year, part.month - 1, part.day, part.hour, part.minute) / minuteMs;
    };
    this.from = fromMs / minuteMs;
    this.local = new Int32Array(untilMs / minuteMs - this.from);
    for (let hour = 0; hour < this.local.length; hour += 60) {
      const [begin, end] = [show(fromMs + hour * minuteMs), show(fromMs + (hour + 60) * minuteMs)];
      for (let i = hour; i < Math.min(hour + 60, this.local.length); i++)
        // Within most hours the clock goes on evenly; where it does not, it is asked at every minute.
        this.local[i] = end - begin === 60 ? begin + i - hour : show(fromMs + i * minuteMs);
    }
    for (const [i, minute] of this.local.entries()) {
      if (!this.first.has(minute)) this.first.set(minute, i);
      this.last.set(minute, i);
    }
  }

  /** When the clock shows a local minute; one that it leaves out is the first that it shows after it. */
  at(minute: number, which: 'first' | 'last'): number | undefined {
    for (let next = minute; next < minute + 2 * dayMinutes; next++) {
      const found = next === minute && which === 'last' ? this.last.get(next) : this.first.get(next);
      if (found !== undefined) return found;
    }
    return undefined;
  }
}

/** Whether a schedule holds at each minute, worked out day by day from what the clock on the wall shows: slow and plain. */
export function minuteByMinute(schedule: Schedule, clock: WallClock): Uint8Array {
  const holds = new Uint8Array(clock.local.length);
  const firstDay = Math.floor(clock.local[0] / dayMinutes) + 3;
  const lastDay = Math.floor(clock.local[clock.local.length - 1] / dayMinutes) - 3;
  for (let day = firstDay; day <= lastDay; day++) {
    const weekday = (((day + 3) % 7) + 7) % 7;
    const onDates = (schedule.dates ?? []).filter(({ days }) => {
      const row = parseDates(days);
      return row !== undefined && day >= row.from && day <= row.to;
    });
    const week = Object.entries(schedule.week).flatMap(([days, texts]) => (parseDays(days)?.includes(weekday) ? texts : []));
    const instead = onDates.filter((dates) => dates.instead !== undefined);
    const texts = [
      ...(instead.length > 0 ? instead.flatMap((dates) => dates.instead ?? []) : week),
      ...onDates.flatMap((dates) => dates.also ?? []),
    ];
    for (const text of texts) {
      const stretch = parseStretch(text);
      if (!stretch) continue;
      const begin = clock.at(day * dayMinutes + stretch.from, 'first');
      const end = clock.at(day * dayMinutes + stretch.to, 'last');
      if (begin !== undefined && end !== undefined) holds.fill(1, begin, Math.max(begin, end));
    }
  }
  return holds;
}
