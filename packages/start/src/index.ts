export { endChild, forkReady } from './children.js';
export { freePort, type PrivateDatabase, startDatabase } from './database.js';
export { leastRoomBytes, needPort, needRoom } from './trouble.js';
