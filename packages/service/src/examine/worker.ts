import { parentPort } from 'node:worker_threads';
import { examineHere } from './examine-here.js';

// As JSON: a text crosses between threads much faster than thousands of objects.
parentPort?.on('message', (text: string) => parentPort?.postMessage(JSON.stringify(examineHere(text))));
