import { compileSchedule, localDayTime } from '../../time/schedule.js';
import type { GuardKind } from './contract.js';

/** The moment lies in a named schedule. */
export const scheduleGuard: GuardKind<string> = {
  compile(name, document, zone) {
    const schedule = compileSchedule(document.schedules[name] ?? { week: {} }, zone);
    return { wanted: name, judge: ({ now }) => ({ holds: schedule.holdsAt(now.wall), saw: localDayTime(zone, now.wall) }) };
  },
  check(name, document, path, mustBe) {
    mustBe('schedule', name, Object.keys(document.schedules), path);
  },
};
