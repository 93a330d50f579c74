import type { GuardKind } from './contract.js';

/** The moment lies in a named schedule. */
export const scheduleGuard: GuardKind<string> = {
  compile(name, around) {
    const schedule = around.schedule(name);
    return {
      wanted: name,
      judge: ({ now: { wall } }) => ({ holds: schedule.holdsAt(wall), saw: around.dayTime(wall) }),
    };
  },
  check(name, document, path, mustBe) {
    mustBe('schedule', name, Object.keys(document.schedules), path);
  },
};
