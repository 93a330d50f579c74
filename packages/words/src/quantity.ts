/** A duration in words that fit: `340 ms`, `1.2 s`, `2 m 05 s`, `3 h 20 m`, `2 d 4 h`. */
export function durationText(ms: number): string {
  const sign = ms < 0 ? '-' : '';
  const whole = Math.abs(ms);
  if (whole < 1_000) return `${sign}${Math.round(whole)} ms`;
  if (whole < 59_950) return `${sign}${(whole / 1000).toFixed(whole < 9_950 ? 1 : 0)} s`;
  const seconds = Math.round(whole / 1000);
  const two = (n: number) => String(n).padStart(2, '0');
  if (seconds < 3_600) return `${sign}${Math.floor(seconds / 60)} m ${two(seconds % 60)} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 48 * 60) return `${sign}${Math.floor(minutes / 60)} h ${two(minutes % 60)} m`;
  return `${sign}${Math.floor(minutes / 1440)} d ${Math.floor((minutes % 1440) / 60)} h`;
}

/** A share as the language spells it: `0.42%`. */
export const shareText = (share: number): string => `${(share * 100).toFixed(share < 0.1 ? 2 : 0)}%`;

const dateFormats = new Map<string, Intl.DateTimeFormat>();
function parts(iso: string, timezone: string): Record<string, string> {
  let format = dateFormats.get(timezone);
  if (!format) {
    format = new Intl.DateTimeFormat('en-GB', {
      timeZone: timezone,
      weekday: 'short',
      day: 'numeric',
      month: 'short',
      year: 'numeric',
      hour: '2-digit',
      minute: '2-digit',
      second: '2-digit',
      fractionalSecondDigits: 3,
      hourCycle: 'h23',
    });
    dateFormats.set(timezone, format);
  }
  return Object.fromEntries(format.formatToParts(new Date(iso)).map(({ type, value }) => [type, value]));
}

/** Time of day at the site: `17:52:04`, or with milliseconds `17:52:04.317`. */
export function clockText(iso: string, timezone: string, milliseconds = false): string {
  const p = parts(iso, timezone);
  return `${p.hour}:${p.minute}:${p.second}${milliseconds ? `.${p.fractionalSecond}` : ''}`;
}

/** Day and time at the site, short enough for a column: `23 Nov 17:52:04`. */
export function whenText(iso: string, timezone: string): string {
  const p = parts(iso, timezone);
  return `${p.day.padStart(2)} ${p.month} ${p.hour}:${p.minute}:${p.second}`;
}

/** Date and time at the site: `Mon 23 Nov 2026, 17:52:04`. */
export function dateText(iso: string, timezone: string): string {
  const p = parts(iso, timezone);
  return `${p.weekday} ${p.day} ${p.month} ${p.year}, ${p.hour}:${p.minute}:${p.second}`;
}
