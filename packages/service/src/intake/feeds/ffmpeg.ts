import { spawn } from 'node:child_process';
import { type FeedFacts, FeedFailure, silenceMs } from './contract.js';
import { PartCutter } from './parts.js';

/** So much of what it says of itself is kept, from its end. */
const mostSaid = 16 * 1024;
/** Its largest pictures are refused like a camera's: 16 megapixels. */
const mostPixels = 16_000_000;

/** What its words mean, in the order in which they are looked for. */
const meanings: readonly (readonly [RegExp, string])[] = [
  [/401 Unauthorized|403 Forbidden|authorization failed/i, 'not-authorised'],
  [/404 Not Found|454 |Stream not found/i, 'not-found'],
  [/Connection refused/i, 'connection-refused'],
  [/Name or service not known|Failed to resolve hostname|Temporary failure in name/i, 'host-unknown'],
  [/certificate|TLS|SSL/i, 'wrong-certificate'],
  [/timed out|No route to host|Network is unreachable/i, 'no-answer'],
  [/No such file or directory|No such device/i, 'not-found'],
  [/Permission denied/i, 'not-permitted'],
  [
    /Decoder .* not found|Unknown decoder|Could not find codec|unsupported codec|Unsupported codec|codec not currently supported|Picture size .* is invalid|unknown codec/i,
    'wrong-codec',
  ],
  [/Invalid data found|could not find codec parameters|does not contain any stream|matches no streams/i, 'wrong-type'],
];

/** Codes of a stream by their names in its description (RTP payload formats, RFC 6184, 7798, 2435 …) that it can read. */
const readable = /^(H26[1345]|HEVC|H263-\d+|JPEG|MP4V-ES|MPV|MP2T|VP[89]|AV1|THEORA|X-MP4V-ES|RAW)$/i;

/** The name of a code that is offered in a stream's description (RFC 8866 §6.6) and that nobody here can read: it would be waited for in vain. */
function strangeCode(said: string): string | undefined {
  const offered = /^m=video .*$[\s\S]*?^a=rtpmap:\d+ ([^/\s]+)\//m.exec(said)?.[1];
  return offered !== undefined && !readable.test(offered) ? offered : undefined;
}

/** Lines that say nothing of what went wrong. */
const noise =
  /^(\[AVIOContext|\[.*Statistics|ffmpeg version|\s*built with|\s*configuration|\s*lib|Input|Output|Stream mapping|Press|\s+(Metadata|Stream|Duration|encoder|title|Side data|cpb))/;

function failureFrom(said: string, code: number | null): FeedFailure {
  const line = said
    .split('\n')
    .filter((one) => one.trim() !== '' && !noise.test(one))
    .at(-1);
  const meaning = meanings.find(([pattern]) => pattern.test(said));
  const detail = (line ?? '').replace(/\/\/[^/@\s]*@/g, '//').slice(0, 160);
  return new FeedFailure(meaning?.[1] ?? 'connection-broken', detail || `ffmpeg ended with ${code}`);
}

/** What it says of the video that it found: `Stream #0:0: Video: h264 (High), yuv420p, 640x360, 10 fps`. */
function readFacts(said: string, facts: FeedFacts): void {
  const video = /Stream #\d+:\d+.*?: Video: (\w+)(.*)/.exec(said);
  if (!video) return;
  facts.codec ??= video[1];
  const rate = /([\d.]+) fps/.exec(video[2])?.[1];
  if (rate) facts.rate = Number(rate);
}

export interface FfmpegInput {
  /** Options and input, as arguments; never a secret. */
  readonly args: readonly string[];
  /** What it reads from its standard input: secrets go this way. */
  readonly stdin?: string;
}

/**
 * Pictures of whatever ffmpeg can read, as JPEG: a child that is killed when it is silent, when the other end is gone
 * or when nobody wants it any more. What it writes is taken as it is read, so that it cannot flood.
 */
export async function* openFfmpeg(
  { args, stdin }: FfmpegInput,
  everyMs: number,
  signal: AbortSignal,
  facts: FeedFacts = {},
): AsyncGenerator<Buffer> {
  const child = spawn(
    'ffmpeg',
    [
      ...['-hide_banner', '-nostats', '-loglevel', 'verbose', '-max_pixels', String(mostPixels)],
      ...args,
      ...['-an', '-sn', '-dn', '-vf', `fps=${(1000 / everyMs).toFixed(3)}`, '-c:v', 'mjpeg', '-q:v', '4', '-pix_fmt', 'yuvj420p'],
      ...['-threads', '1', '-f', 'mpjpeg', 'pipe:1'],
    ],
    { stdio: ['pipe', 'pipe', 'pipe'], env: { PATH: process.env.PATH } },
  );
  let said = '';
  let silent = false;
  let strange: string | undefined;
  const kill = () => child.kill('SIGKILL');
  const watch = setTimeout(() => {
    silent = true;
    kill();
  }, silenceMs);
  const ended = new Promise<number | null>((resolve) => {
    child.on('close', resolve);
    child.on('error', (error) => {
      said += error.message;
      resolve(null);
    });
  });
  child.stderr.on('data', (bytes: Buffer) => {
    said = (said + bytes.toString('utf8')).slice(-mostSaid);
    readFacts(said, facts);
    strange ??= facts.codec ? undefined : strangeCode(said);
    if (strange) kill();
  });
  child.stdin.on('error', () => undefined).end(stdin ?? '');
  signal.addEventListener('abort', kill, { once: true });
  try {
    const cutter = new PartCutter('ffmpeg');
    for await (const bytes of child.stdout) {
      watch.refresh();
      yield* cutter.push(bytes as Buffer);
    }
    const code = await ended;
    if (signal.aborted) return;
    if (strange) throw new FeedFailure('wrong-codec', strange);
    if (silent) throw new FeedFailure('no-pictures');
    if (code === 0) throw new FeedFailure('ended');
    throw failureFrom(said, code);
  } finally {
    clearTimeout(watch);
    signal.removeEventListener('abort', kill);
    kill();
  }
}
