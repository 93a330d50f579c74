import { compileSchedule, localDayTime } from '../../time/schedule.js';
import type { GuardKind } from './contract.js';

/** The moment lies in a named schedule. */
export const scheduleGuard: GuardKind<string> = {
  compile(name, document, zone) {
    const schedule = compileSchedule(document.schedules[name] ?? { week: {} }, zone);
    // Many events fall into one minute: its name is made once.
    let said = { minute: Number.NaN, text: '' };
    return {
      wanted: name,
      judge({ now: { wall } }) {
        const minute = Math.floor(wall / 60_000);
        if (said.minute !== minute) said = { minute, text: localDayTime(zone, wall) };
        return { holds: schedule.holdsAt(wall), saw: said.text };
      },
    };
  },
  check(name, document, path, mustBe) {
    mustBe('schedule', name, Object.keys(document.schedules), path);
  },
};
