import type { OpenFeed } from './contract.js';
import { openFfmpeg } from './ffmpeg.js';

/** How ffmpeg is asked for the pictures of a camera that is plugged in. */
export const deviceArgs = (path: string): string[] => ['-f', 'v4l2', '-i', path];

/** A camera that is plugged into this machine (V4L2), through ffmpeg. */
export const openDevice: OpenFeed<'device'> = ({ path, everyMs }, signal, facts) =>
  openFfmpeg({ args: deviceArgs(path) }, everyMs, signal, facts);
