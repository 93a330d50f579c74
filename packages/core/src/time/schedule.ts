import { parseDays, parseStretch, type Schedule } from '@causalis/contract';
import type { Zone } from './zone.js';

/** A week of a schedule, ready to be asked. */
export interface CompiledSchedule {
  /** Whether an instant (UTC ms) lies in the schedule. */
  holdsAt(utcMs: number): boolean;
}

const day = 86_400_000;
const minute = 60_000;

/** Compiles a named schedule for a time zone. A stretch over midnight belongs to the day on which it begins. */
export function compileSchedule(schedule: Schedule, zone: Zone): CompiledSchedule {
  const byDay: { from: number; to: number }[][] = Array.from({ length: 7 }, () => []);
  for (const [days, stretches] of Object.entries(schedule.week)) {
    for (const at of parseDays(days) ?? []) {
      for (const text of stretches) {
        const stretch = parseStretch(text);
        if (stretch) byDay[at].push(stretch);
      }
    }
  }
  return {
    holdsAt(utcMs) {
      const today = Math.floor((utcMs + zone.offsetAt(utcMs)) / day);
      for (let date = today - 2; date <= today + 1; date++) {
        // 1970-01-01 was a Thursday; Monday is 0.
        for (const { from, to } of byDay[(((date + 3) % 7) + 7) % 7]) {
          if (utcMs < zone.instantOf(date * day + from * minute, 'first')) continue;
          if (utcMs < zone.instantOf(date * day + to * minute, 'second')) return true;
        }
      }
      return false;
    },
  };
}

const names = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

/** Local day and time of an instant as a guard shows it, such as `Mon 17:52`. */
export function localDayTime(zone: Zone, utcMs: number): string {
  const local = new Date(utcMs + zone.offsetAt(utcMs));
  return `${names[(local.getUTCDay() + 6) % 7]} ${local.toISOString().slice(11, 16)}`;
}
