import { fileURLToPath } from 'node:url';

export type { ClockShift } from './clock.js';
export { freeBytes, writeWhole } from './files.js';
export { decodeGrey } from './intake/watcher/jpeg.js';
export { atOneMoment, type Database, openDatabase } from './ledger/database.js';
export { dropDays, prepareDays } from './ledger/days.js';
export { takeLease } from './ledger/leases.js';
export { takeDue } from './ledger/queue.js';
export { type Moment, moments } from './moments.js';
export type { FromService, ToService } from './test-channel.js';

/** The file to fork as the service's process. */
export const serviceFile = fileURLToPath(new URL('./main.js', import.meta.url));
