import type { AnswerOf } from '@causalis/contract';
import { computed } from 'vue';
import { useReading } from './read.js';
import { client } from './session.js';
import { useStream } from './stream.js';

export type CounterNow = AnswerOf<'counters'>['items'][number];

/** What the counters of a site say now, by camera and mark; read again when something was counted. */
export function useCounters(site: string) {
  const reading = useReading(() => client.call('counters', { params: { site } }));
  useStream((message) => {
    const counted = message.kind === 'event' && ['line.crossed', 'object.entered', 'object.left'].includes(message.event.kind);
    if (counted || message.kind === 'reset' || message.kind === 'revision') reading.soon();
  });
  const all = computed(() => reading.value.value?.items ?? []);
  const byMark = (camera: string) => new Map(all.value.flatMap((one) => (one.camera === camera ? [[one.mark, one]] : [])));
  return { all, byMark, again: reading.again };
}
