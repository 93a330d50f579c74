import { parentPort, workerData } from 'node:worker_threads';
import { trial } from './run.js';

for (const { scene, seed, lengthMs, empty } of workerData.runs)
  parentPort?.postMessage({ empty, result: await trial(scene, seed, lengthMs, empty) });
