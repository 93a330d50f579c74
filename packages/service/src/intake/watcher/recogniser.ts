import type { Box } from '@causalis/contract';
import { Agent, request } from 'undici';
import { z } from 'zod';
import type { WatchedRecogniser } from './messages.js';

/** An answer that takes longer than this is none; one that takes longer than the other is slow. */
const answerMs = 5_000;
const slowMs = 1_500;
const mostBytes = 256 * 1024;
/** Least confidence of labels of which the document says nothing. */
const usualSure = 0.5;

const agent = new Agent({ connect: { timeout: 2_000 }, headersTimeout: answerMs, bodyTimeout: answerMs, keepAliveTimeout: 10_000 });

const share = z.number().min(0).max(1);
/** What a recogniser answers: `POST` of a JPEG → the things on it. A box is left, top, width and height from 0 to 1. */
const Answer = z.object({
  objects: z.array(z.object({ label: z.string().min(1).max(100), sure: share, box: z.tuple([share, share, share, share]) })).max(200),
});

export interface Recognised {
  readonly box: Box;
  readonly label: string;
  readonly sure: number;
  readonly verdict: 'counted' | 'not-sure' | 'not-wanted';
}

export type RecogniserAnswer =
  | { readonly ok: true; readonly objects: readonly Recognised[]; readonly slow: boolean }
  | { readonly ok: false; readonly reason: string };

/** Asks one recogniser about pictures: never more at a time than it can take, for all cameras of this process together. */
export class RecogniserLine {
  private inFlight = 0;

  /** Whether it can be asked now; who does not get through asks again with a newer picture. */
  isFree(most: number): boolean {
    return this.inFlight < most;
  }

  /** Asks about one picture. Whatever goes wrong is an answer too. */
  async ask(recogniser: WatchedRecogniser, jpeg: Buffer): Promise<RecogniserAnswer> {
    this.inFlight++;
    const began = performance.now();
    try {
      const { statusCode, body } = await request(recogniser.url, {
        method: 'POST',
        dispatcher: agent,
        headers: { 'content-type': 'image/jpeg', accept: 'application/json' },
        body: jpeg,
      });
      const parts: Buffer[] = [];
      let length = 0;
      for await (const part of body as AsyncIterable<Buffer>) {
        length += part.length;
        if (length > mostBytes) throw new Error('answer too large');
        parts.push(part);
      }
      if (statusCode !== 200) return { ok: false, reason: `status ${statusCode}` };
      const read = Answer.safeParse(JSON.parse(Buffer.concat(parts).toString('utf8')));
      if (!read.success) return { ok: false, reason: 'wrong answer' };
      const objects = read.data.objects.map((one) => ({ ...one, verdict: verdictOf(recogniser, one) }));
      return { ok: true, objects, slow: performance.now() - began > slowMs };
    } catch (error) {
      const { code = '' } = error as { code?: string };
      if (error instanceof SyntaxError) return { ok: false, reason: 'wrong answer' };
      return {
        ok: false,
        reason: code === 'ECONNREFUSED' ? 'connection refused' : /TIMEOUT/.test(code) ? 'no answer' : (error as Error).message,
      };
    } finally {
      this.inFlight--;
    }
  }
}

function verdictOf({ sure: least, labels }: WatchedRecogniser, { label, sure }: { label: string; sure: number }): Recognised['verdict'] {
  if (labels && !labels.includes(label)) return 'not-wanted';
  return sure < (Object.hasOwn(least, label) ? least[label] : usualSure) ? 'not-sure' : 'counted';
}
