export { endChild, forkReady } from './children.js';
export { freePort, startDatabase } from './database.js';
export { leastRoomBytes, needPort, needRoom } from './trouble.js';
