<script setup lang="ts">
import { type AnswerOf, type Mark, parseShare, type ReplayReport } from '@causalis/contract';
import { clockText, eventText } from '@causalis/words';
import { computed, shallowReactive, watch } from 'vue';
import Thumb from '../../parts/Thumb.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import type { Draft } from './use-draft.js';

/** From an event that was not wanted to the setting that would not have made it: each reason with what else it would drop. */
const props = defineProps<{ event: string; camera: string; draft: Draft }>();
const emit = defineEmits<{ change: [next: Partial<Draft>] }>();
const t = texts.cameras;
const { params, zone } = useSite();
const chain = useReading(() => client.call('chain', { params: { ...params, id: props.event } }));
const effects = shallowReactive(new Map<string, ReplayReport['counts']>());
const about = computed<AnswerOf<'chain'>['event'] | undefined>(() => chain.value.value?.event);
const share = (value: number) => `${Math.ceil(value * 10_000) / 100}%`;

/** The change that each reason means. */
const reasons = computed(() => {
  const data = about.value?.data;
  if (!data) return [];
  const [x, y, w, h] = data.box ?? [0, 0, 0, 0];
  const size = w * h;
  const name = ['ignored', 'ignored-2', 'ignored-3', 'ignored-4'].find((one) => !(one in props.draft.marks)) ?? 'ignored-5';
  const fit = (value: number) => Math.round(Math.min(1, Math.max(0, value)) * 1000) / 1000;
  const area: [number, number][] = [
    [fit(x - 0.02), fit(y - 0.02)],
    [fit(x + w + 0.02), fit(y - 0.02)],
    [fit(x + w + 0.02), fit(y + h + 0.02)],
    [fit(x - 0.02), fit(y + h + 0.02)],
  ];
  const watching = (more: object): Partial<Draft> => ({ watching: { ...props.draft.watching, ...more } });
  return [
    ...(size > 0 && size < 0.3 ? [{ key: 'smallest', text: t.because.smallest, next: watching({ smallest: share(size * 1.25) }) }] : []),
    ...(size > 0
      ? [{ key: 'area', text: t.because.area, next: { marks: { ...props.draft.marks, [name]: { ignored: area } as Mark } } }]
      : []),
    ...(data.level && parseShare(share(data.level * 1.2))
      ? [{ key: 'threshold', text: t.because.threshold, next: watching({ threshold: share(data.level * 1.2) }) }]
      : []),
    { key: 'short', text: t.because.short, next: watching({ 'at-least': '2s' }) },
  ];
});
async function weigh() {
  for (const { key, next } of reasons.value) {
    const body = { marks: props.draft.marks, watching: props.draft.watching, ...next };
    const report = await client.call('replay', { params: { ...params, key: props.camera }, body }).catch(() => undefined);
    if (report) effects.set(key, report.counts);
  }
}
function take(next: Partial<Draft>) {
  emit('change', next);
}
watch(about, () => void weigh(), { once: true });
</script>

<template>
  <section v-if="about" class="because">
    <h2>{{ t.notWanted }}</h2>
    <div class="about">
      <Thumb :event="about" :alt="eventText(about, camera)" drawn fit />
      <p>{{ clockText(about.time, zone) }} {{ eventText(about, camera) }}</p>
    </div>
    <ul>
      <li v-for="{ key, text, next } in reasons" :key="key">
        <button type="button" class="plain-button" :data-because="key" @click="take(next)">{{ text }}</button>
        <span v-if="effects.get(key)" class="soft small">{{ t.becauseGives(effects.get(key)?.stay ?? 0, effects.get(key)?.go ?? 0) }}</span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.because {
  border-left: 2px solid var(--important);
  padding-left: 0.9rem;
}
.about {
  display: flex;
  gap: 0.8rem;
  align-items: center;
}
h2 {
  margin: 0 0 0.4rem;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0.4rem 0 0;
  display: grid;
  gap: 0.4rem;
}
li {
  display: flex;
  gap: 0.7rem;
  align-items: center;
}
</style>
