export * from './client.js';
export * from './live.js';
export * from './problem.js';
