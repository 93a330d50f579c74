import { motionDetector } from '@causalis/core';
import { decodeGrey } from '@causalis/service';
import { makeScene, toJpeg } from '@causalis/standins';
import jpeg from '@julusian/jpeg-turbo';
import { type Figure, timeBoth } from './figure.js';
import { kernelSteps } from './frames.js';

const rounds = 300;
/** A service that runs for weeks is warm: its code is compiled after the first minute of pictures. */
const warmUp = 300;
const settings = {
  difference: 10,
  threshold: 0.003,
  smallest: 0.001,
  largest: 0.6,
  atLeastMs: 400,
  quietMs: 6_000,
  pauseMs: 0,
  zones: [],
  ignored: [],
};

/** Decoding and detection of a frame, beside the decoder's full grey decode of the same bytes. Frames are drawn beforehand. */
export async function vision(): Promise<Figure[]> {
  const figures: Figure[] = [];
  const steps = await kernelSteps();
  for (const [width, height] of [
    [640, 360],
    [1920, 1080],
  ]) {
    const scene = await makeScene({ seed: 3, width, height, lengthMs: 120_000, hourAt: () => 12 });
    const frames = Array.from({ length: 20 }, (_, i) => toJpeg(scene.paint(20_000 + i * 200), width, height));
    const detector = motionDetector(settings, steps);
    const room = Buffer.alloc(width * height);
    let frame = 0;
    const times = timeBoth(
      rounds,
      () => {
        const grey = decodeGrey(frames[frame % frames.length], (w, h) => detector.roomFor(w, h));
        if ('wrong' in grey) throw new Error(grey.wrong);
        detector.see({ ...grey, timeMs: frame++ * 200 });
      },
      () => jpeg.decompressSync(frames[frame % frames.length], room, { format: jpeg.FORMAT_GRAY }),
      warmUp,
    );
    const ratio = times.ours / times.beside;
    figures.push({
      name: `frame ${width}x${height}, ${Math.round(frames[0].length / 1024)} kB`,
      ours: `decode and detect ${times.ours.toFixed(2)} ms`,
      beside: `decode ${times.beside.toFixed(2)} ms`,
      ratio,
      aim: '≤ 1.25',
      met: ratio <= 1.25,
      n: rounds,
    });
  }
  return figures;
}
