export * from './catalogue.js';
export * from './events.js';
export * from './findings.js';
export * from './message.js';
export * from './problems.js';
export * from './quantity.js';
export * from './sentence.js';
export * from './verdicts.js';
