import { readFileSync } from 'node:fs';
import { wasmOps } from '@causalis/core';
import { SystemClock } from '../../clock.js';
import { CameraWatch } from './camera-watch.js';
import type { FromWatcher, ToWatcher } from './messages.js';
import { RecogniserLine } from './recogniser.js';

// A process of its own for feeds, decoding and detection: whatever a camera sends, the engine is not touched.
const clock = new SystemClock();
const steps = wasmOps(readFileSync(new URL(import.meta.resolve('@causalis/core/kernel.wasm'))));
const watches = new Map<string, { watch: CameraWatch; as: string }>();
let viewed = new Set<string>();
let dark = false;
const lines = new Map<string, RecogniserLine>();
const line = (recogniser: string): RecogniserLine => {
  const known = lines.get(recogniser) ?? new RecogniserLine();
  lines.set(recogniser, known);
  return known;
};

const send = (message: FromWatcher): void => {
  process.send?.(message, undefined, undefined, () => undefined);
};

process.on('message', (message: ToWatcher) => {
  switch (message.kind) {
    case 'cameras': {
      const wanted = new Map(message.cameras.map((camera) => [camera.key, camera]));
      for (const [key, { watch, as }] of watches) {
        // A camera whose settings are the same keeps its background.
        if (JSON.stringify(wanted.get(key)) === as) continue;
        watch.stop();
        watches.delete(key);
      }
      for (const [key, camera] of wanted) {
        if (watches.has(key)) continue;
        watches.set(key, {
          as: JSON.stringify(camera),
          watch: new CameraWatch(camera, { clock, send, viewed: () => viewed.has(key), dark: () => dark, steps, line }),
        });
      }
      return;
    }
    case 'viewed':
      viewed = new Set(message.cameras);
      return;
    case 'picture': {
      const picture = watches.get(message.camera)?.watch.pictureAt(message.wall);
      send({ kind: 'picture', request: message.request, ...picture });
      return;
    }
    case 'pushed': {
      const picture = watches.get(message.camera)?.watch.pushed(Buffer.from(message.jpeg));
      send({ kind: 'picture', request: message.request, ...picture });
      return;
    }
    case 'head':
      watches.get(message.camera)?.watch.headMoves(message.moving);
      return;
    case 'sky':
      dark = message.dark;
      return;
    case 'shift':
      clock.shift(message.shift);
  }
});
process.on('disconnect', () => process.exit(0));
process.on('SIGINT', () => undefined);
