import { motionDetector } from '@causalis/core';
import { makeScene, toJpeg } from '@causalis/standins';
import jpeg from '@julusian/jpeg-turbo';
import { type Figure, timeBoth } from './figure.js';
import { kernelSteps } from './frames.js';

const rounds = 300;
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
    const grey = (bytes: Buffer) => jpeg.decompressSync(bytes, { format: jpeg.FORMAT_GRAY });
    let frame = 0;
    const times = timeBoth(
      rounds,
      () => {
        const { data, width: w, height: h } = grey(frames[frame % frames.length]);
        detector.see({ width: w, height: h, bytes: data, timeMs: frame++ * 200 });
      },
      () => grey(frames[frame % frames.length]),
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
