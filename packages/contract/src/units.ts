import { z } from 'zod';
import { refuse } from './finding.js';

const durationUnits: Record<string, number> = { ms: 1, s: 1_000, m: 60_000, h: 3_600_000, d: 86_400_000 };
const durationForm = /^(?:\d+d)?(?:\d+h)?(?:\d+m)?(?:\d+s)?(?:\d+ms)?$/;

/** A duration such as `250ms`, `5s`, `1h30m` or `30d` in milliseconds; nothing when it is not one. */
export function parseDuration(text: string): number | undefined {
  if (text === '' || text.length > 24 || !durationForm.test(text)) return undefined;
  let sum = 0;
  for (const [, count, unit] of text.matchAll(/(\d+)(ms|d|h|m|s)/g)) sum += Number(count) * durationUnits[unit];
  return sum <= 3650 * durationUnits.d ? sum : undefined;
}

/** The milliseconds of a duration that a schema has let through. */
export function durationMs(text: string): number {
  const ms = parseDuration(text);
  if (ms === undefined) throw new RangeError(`not a duration: ${text}`);
  return ms;
}

/** A share such as `0.4%` or `60%` as a fraction from 0 to 1; nothing when it is not one. */
export function parseShare(text: string): number | undefined {
  const found = /^(\d{1,3}(?:\.\d{1,4})?)%$/.exec(text);
  const share = found ? Number(found[1]) / 100 : Number.NaN;
  return share <= 1 ? share : undefined;
}

/** The fraction of a share that a schema has let through. */
export function shareFraction(text: string): number {
  const share = parseShare(text);
  if (share === undefined) throw new RangeError(`not a share: ${text}`);
  return share;
}

/** A time of day `00:00` to `24:00` in minutes after midnight; nothing when it is not one. */
export function parseTimeOfDay(text: string): number | undefined {
  const found = /^([01]\d|2[0-4]):([0-5]\d)$/.exec(text);
  if (!found) return undefined;
  const minutes = Number(found[1]) * 60 + Number(found[2]);
  return minutes <= 1440 ? minutes : undefined;
}

/** A stretch such as `18:00-08:00` as minutes after midnight; an end at or before its start lies on the next day. */
export function parseStretch(text: string): { from: number; to: number } | undefined {
  const [start, end, more] = text.split('-');
  const from = parseTimeOfDay(start);
  const to = end === undefined || more !== undefined ? undefined : parseTimeOfDay(end);
  if (from === undefined || to === undefined || from === 1440) return undefined;
  return { from, to: to <= from ? to + 1440 : to };
}

/** Days of the week in the document's spelling, Monday first. */
export const weekdays = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;

/** The days (0 is Monday) that a word such as `mon`, `mon-thu` or `sat-mon` names; nothing when it names none. */
export function parseDays(text: string): number[] | undefined {
  const [first, last, more] = text.split('-').map((day) => weekdays.indexOf(day as (typeof weekdays)[number]));
  if (more !== undefined || first < 0 || last === -1) return undefined;
  if (last === undefined) return [first];
  return Array.from({ length: ((last - first + 7) % 7) + 1 }, (_, i) => (first + i) % 7);
}

const dayMs = 86_400_000;

/** A date `2026-12-24` or a row of dates `2026-12-24..2026-12-26` as days since 1970-01-01, both ends included; nothing when it is neither. */
export function parseDates(text: string): { from: number; to: number } | undefined {
  const [first, last = first, more] = text.split('..');
  const dayOf = (date: string) => {
    const ms = /^\d{4}-\d{2}-\d{2}$/.test(date) ? Date.parse(`${date}T00:00:00Z`) : Number.NaN;
    // A date that rolls over into the next month, such as 2026-02-30, is none.
    return Number.isNaN(ms) || new Date(ms).toISOString().slice(0, 10) !== date ? undefined : ms / dayMs;
  };
  const [from, to] = [dayOf(first), dayOf(last)];
  return more !== undefined || from === undefined || to === undefined || to < from ? undefined : { from, to };
}

/** A duration as the document spells it. */
export const Duration = z.string().superRefine(refuse('bad-duration', (text) => parseDuration(text) !== undefined));
/** A share as the document spells it. */
export const Share = z.string().superRefine(refuse('bad-share', (text) => parseShare(text) !== undefined));
/** A date or a row of dates as the document spells it. */
export const Dates = z.string().superRefine(refuse('bad-dates', (text) => parseDates(text) !== undefined));
/** A stretch of the day as the document spells it. */
export const Stretch = z.string().superRefine(refuse('bad-stretch', (text) => parseStretch(text) !== undefined));
/** A position on a picture, 0 to 1, x to the right and y down from the top left. */
export const Position = z.tuple([z.number().min(0).max(1), z.number().min(0).max(1)]);
export type Position = z.infer<typeof Position>;

/** One value may stand for a list of one; a list of nothing says nothing, and is refused unless `least` is 0. */
export const oneOrMany = <S extends z.ZodType>(schema: S, most = 100, least = 1) =>
  z.preprocess((value) => (value === undefined || Array.isArray(value) ? value : [value]), z.array(schema).min(least).max(most));
