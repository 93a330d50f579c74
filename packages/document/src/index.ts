export * from './places.js';
export * from './read.js';
export * from './write.js';
