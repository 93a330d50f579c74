import { parentPort, workerData } from 'node:worker_threads';
import { runScene } from './run.js';

const { camera, runs } = workerData;
for (const [seed, hour] of runs) parentPort?.postMessage(await runScene(camera, seed, hour));
