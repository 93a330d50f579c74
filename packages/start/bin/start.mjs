import { setUp } from './setup.mjs';

setUp();
const { start } = await import('../dist/src/start.js');
await start();
