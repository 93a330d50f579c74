import { fileURLToPath } from 'node:url';

export type { ClockShift } from './clock.js';
export { writeWhole } from './files.js';
export { type Moment, moments } from './moments.js';
export type { FromService, ToService } from './test-channel.js';

/** The file to fork as the service's process. */
export const serviceFile = fileURLToPath(new URL('./main.js', import.meta.url));
