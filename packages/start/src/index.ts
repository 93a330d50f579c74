export { endChild, forkReady } from './children.js';
export { freePort, type PrivateDatabase, startDatabase } from './database.js';
export { gatehouseAlone } from './demonstration.js';
export { leastRoomBytes, needPort, needRoom } from './trouble.js';
