/** Offsets of one time zone from UTC, found once a year of need by asking Intl, then looked up. */
export interface Zone {
  readonly name: string;
  /** Milliseconds that local time is ahead of UTC at an instant. */
  offsetAt(utcMs: number): number;
  /**
   * The instant at which local clocks show `localMs` (a local date and time written as if it were UTC).
   * A time that is skipped becomes the end of the gap; of a time that comes twice, the first or the second.
   */
  instantOf(localMs: number, which: 'first' | 'second'): number;
}

const hour = 3_600_000;
const day = 24 * hour;

interface Change {
  readonly at: number;
  readonly before: number;
  readonly after: number;
}

/** The zone of an IANA name; throws a RangeError for a name that Intl does not know. */
export function zoneOf(name: string): Zone {
  const format = new Intl.DateTimeFormat('en-US', {
    timeZone: name,
    hourCycle: 'h23',
    year: 'numeric',
    month: 'numeric',
    day: 'numeric',
    hour: 'numeric',
    minute: 'numeric',
    second: 'numeric',
  });
  const ask = (utcMs: number): number => {
    const whole = Math.floor(utcMs / 1000) * 1000;
    const part: Record<string, number> = {};
    for (const { type, value } of format.formatToParts(whole)) part[type] = Number(value);
    return Date.UTC(part.year, part.month - 1, part.day, part.hour, part.minute, part.second) - whole;
  };
  const years = new Map<number, { first: number; changes: Change[] }>();

  const yearOf = (year: number) => {
    const known = years.get(year);
    if (known) return known;
    const from = Date.UTC(year, 0, 1);
    const until = Date.UTC(year + 1, 0, 1);
    const first = ask(from);
    const changes: Change[] = [];
    let before = first;
    for (let at = from + day; at <= until; at += day) {
      const after = ask(at);
      if (after === before) continue;
      let low = at - day;
      let high = at;
      while (high - low > 1000) {
        const middle = Math.floor((low + high) / 2000) * 1000;
        if (ask(middle) === before) low = middle;
        else high = middle;
      }
      changes.push({ at: high, before, after });
      before = after;
    }
    const made = { first, changes };
    years.set(year, made);
    return made;
  };

  /** The stretch between two changes of the clock that was asked for last: the next question is nearly always in it too. */
  let last = { from: 0, until: 0, offset: 0 };
  const offsetAt = (utcMs: number): number => {
    if (utcMs >= last.from && utcMs < last.until) return last.offset;
    const year = new Date(utcMs).getUTCFullYear();
    const { first, changes } = yearOf(year);
    let stretch = { from: Date.UTC(year, 0, 1), until: Date.UTC(year + 1, 0, 1), offset: first };
    for (const change of changes) {
      if (utcMs >= change.at) stretch = { ...stretch, from: change.at, offset: change.after };
      else {
        stretch.until = change.at;
        break;
      }
    }
    last = stretch;
    return stretch.offset;
  };

  return {
    name,
    offsetAt,
    instantOf(localMs, which) {
      const around = [offsetAt(localMs - day), offsetAt(localMs + day)];
      const found = around.map((offset) => localMs - offset).filter((utc) => offsetAt(utc) === localMs - utc);
      if (found.length > 0) return which === 'first' ? Math.min(...found) : Math.max(...found);
      const low = localMs - Math.max(...around);
      const high = localMs - Math.min(...around);
      const changes = [low, high].flatMap((t) => yearOf(new Date(t).getUTCFullYear()).changes);
      return changes.find((change) => change.at >= low - hour && change.at <= high + hour)?.at ?? high;
    },
  };
}
