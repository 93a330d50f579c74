import type { MotionSettings } from '../src/index.js';

/** How a small picture is watched in these tests: the whole of it, with short times. */
export const watched: MotionSettings = {
  difference: 14,
  threshold: 0.001,
  smallest: 0.001,
  largest: 0.6,
  atLeastMs: 400,
  quietMs: 2_000,
  pauseMs: 0,
  zones: [],
  ignored: [],
};
