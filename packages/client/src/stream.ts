import type { StreamMessage } from '@causalis/contract';
import { ProblemError } from './problem.js';

/** Pauses between tries to connect again. */
const firstPauseMs = 500;
const longestPauseMs = 10_000;
/** The service says something every fifteen seconds; when nothing has come for this long, nobody is there. */
const silenceMs = 40_000;

interface ServerSent {
  readonly id: string | undefined;
  readonly data: string;
}

/** Server-sent events of a body, one by one (WHATWG HTML §9.2.6). */
async function* eventsOf(body: ReadableStream<Uint8Array>): AsyncIterable<ServerSent> {
  const reader = body.pipeThrough(new TextDecoderStream() as ReadableWritablePair<string, Uint8Array>).getReader();
  let kept = '';
  try {
    for (;;) {
      const silence = setTimeout(() => reader.cancel().catch(() => undefined), silenceMs);
      const { done, value } = await reader.read().finally(() => clearTimeout(silence));
      if (done) return;
      kept += value;
      const blocks = kept.split('\n\n');
      kept = blocks.pop() ?? '';
      for (const block of blocks) {
        const field = (name: string) =>
          block.split('\n').flatMap((line) => (line.startsWith(`${name}:`) ? [line.slice(name.length + 1).replace(/^ /, '')] : []));
        const data = field('data');
        if (data.length > 0) yield { id: field('id').at(-1), data: data.join('\n') };
      }
    }
  } finally {
    reader.cancel().catch(() => undefined);
  }
}

/** Follows a stream over interruptions; ends with `signal`, or when the service refuses for good. */
export async function* followStream(
  open: (headers: Record<string, string>) => Promise<Response>,
  signal: AbortSignal,
  onState: (connected: boolean) => void = () => undefined,
): AsyncIterable<StreamMessage> {
  let last: string | undefined;
  let pause = firstPauseMs;
  while (!signal.aborted) {
    try {
      const answer = await open(last === undefined ? {} : { 'last-event-id': last });
      onState(true);
      pause = firstPauseMs;
      for await (const { id, data } of eventsOf(answer.body as ReadableStream<Uint8Array>)) {
        if (id !== undefined) last = id;
        yield JSON.parse(data) as StreamMessage;
      }
    } catch (error) {
      if (signal.aborted) return;
      if (error instanceof ProblemError && error.problem.status < 500) throw error;
    }
    onState(false);
    await new Promise<void>((resolve) => {
      const timer = setTimeout(resolve, pause);
      const stop = () => {
        clearTimeout(timer);
        resolve();
      };
      signal.addEventListener('abort', stop, { once: true });
    });
    pause = Math.min(pause * 2, longestPauseMs);
  }
}
