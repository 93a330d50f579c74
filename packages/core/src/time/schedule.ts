import { parseDates, parseDays, parseStretch, type Schedule } from '@causalis/contract';
import type { Zone } from './zone.js';

/** A week of a schedule, ready to be asked. */
export interface CompiledSchedule {
  /** Whether an instant (UTC ms) lies in the schedule. */
  holdsAt(utcMs: number): boolean;
}

const day = 86_400_000;
const minute = 60_000;

interface Stretch {
  readonly from: number;
  readonly to: number;
}
const stretches = (texts: readonly string[]): Stretch[] => texts.flatMap((text) => parseStretch(text) ?? []);

/** What begins on a day of the calendar (days since 1970-01-01): the week's, unless its dates say `instead`, and what they say `also`. */
function dayReader(schedule: Schedule): (date: number) => readonly Stretch[] {
  const byDay: Stretch[][] = Array.from({ length: 7 }, () => []);
  for (const [days, texts] of Object.entries(schedule.week)) for (const at of parseDays(days) ?? []) byDay[at].push(...stretches(texts));
  const dates = (schedule.dates ?? []).flatMap(({ days, also, instead }) => {
    const row = parseDates(days);
    return row ? [{ ...row, also: also && stretches(also), instead: instead && stretches(instead) }] : [];
  });
  return (date) => {
    // 1970-01-01 was a Thursday; Monday is 0.
    const ordinary = byDay[(((date + 3) % 7) + 7) % 7];
    const special = dates.filter(({ from, to }) => date >= from && date <= to);
    if (special.length === 0) return ordinary;
    const instead = special.filter((one) => one.instead);
    return [...(instead.length > 0 ? instead.flatMap((one) => one.instead ?? []) : ordinary), ...special.flatMap((one) => one.also ?? [])];
  };
}

/** Compiles a named schedule for a time zone. A stretch over midnight belongs to the day on which it begins. */
export function compileSchedule(schedule: Schedule, zone: Zone): CompiledSchedule {
  const beginningOn = dayReader(schedule);
  /** The stretches that can hold within one local day, as instants: found once a day. */
  let known: { from: number; until: number; stretches: Stretch[] } = { from: 0, until: 0, stretches: [] };
  const around = (utcMs: number) => {
    const offset = zone.offsetAt(utcMs);
    const today = Math.floor((utcMs + offset) / day);
    const stretches: Stretch[] = [];
    for (let date = today - 2; date <= today + 1; date++) {
      for (const { from, to } of beginningOn(date)) {
        stretches.push({
          from: zone.instantOf(date * day + from * minute, 'first'),
          to: zone.instantOf(date * day + to * minute, 'second'),
        });
      }
    }
    // A change of the clock within the day ends what is known there: the local date is asked for anew.
    const [from, until] = [today * day - offset, (today + 1) * day - offset];
    const even = zone.offsetAt(from) === offset && zone.offsetAt(until - 1) === offset;
    return { from: even ? from : utcMs, until: even ? until : utcMs + 1, stretches };
  };
  return {
    holdsAt(utcMs) {
      if (utcMs < known.from || utcMs >= known.until) known = around(utcMs);
      for (const { from, to } of known.stretches) if (utcMs >= from && utcMs < to) return true;
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
