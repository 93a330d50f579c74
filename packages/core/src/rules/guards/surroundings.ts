import type { SiteDocument } from '@causalis/contract';
import { type CompiledSchedule, compileSchedule, localDayTime } from '../../time/schedule.js';
import type { Zone } from '../../time/zone.js';
import type { GuardSurroundings } from './contract.js';

/** Makes what the guards of a site share: each schedule is compiled once, however many rules name it. */
export function guardSurroundings(document: SiteDocument, zone: Zone): GuardSurroundings {
  const schedules = new Map<string, CompiledSchedule>();
  // Many events fall into one minute: its name is made once.
  let said = { minute: Number.NaN, text: '' };
  return {
    document,
    schedule(name) {
      const known = schedules.get(name) ?? compileSchedule(document.schedules[name] ?? { week: {} }, zone);
      schedules.set(name, known);
      return known;
    },
    dayTime(utcMs) {
      const minute = Math.floor(utcMs / 60_000);
      if (said.minute !== minute) said = { minute, text: localDayTime(zone, utcMs) };
      return said.text;
    },
  };
}
