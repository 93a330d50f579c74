import { parentPort, workerData } from 'node:worker_threads';
import { trial } from './run.js';

const { scene, seed, lengthMs, empty } = workerData;
parentPort?.postMessage(await trial(scene, seed, lengthMs, empty));
