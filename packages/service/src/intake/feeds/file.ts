import { access } from 'node:fs/promises';
import path from 'node:path';
import { FeedFailure, type OpenFeed } from './contract.js';
import { openFfmpeg } from './ffmpeg.js';

/** A recorded file of the folder `recordings`, at its own pace, over and over. */
export const openFile: OpenFeed<'file'> = async function* ({ file, recordings, everyMs }, signal, facts) {
  const whole = path.join(recordings, path.basename(file));
  await access(whole).catch(() => {
    throw new FeedFailure('no-file', whole);
  });
  yield* openFfmpeg({ args: ['-re', '-stream_loop', '-1', '-protocol_whitelist', 'file', '-i', whole] }, everyMs, signal, facts);
};
