<script setup lang="ts">
import type { BlobVerdict, EventRow } from '@causalis/contract';
import { clockText, eventText } from '@causalis/words';
import { computed, ref, shallowRef, watch } from 'vue';
import PictureFrame from '../../parts/PictureFrame.vue';
import SeenThings from '../../parts/SeenThings.vue';
import { verdictShapes } from '../../parts/verdict-shapes.js';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import { useTone } from '../../use/tone.js';
import { useLive } from '../watch/use-live.js';

/** To carry in the hand: says whether one counts, with a sound, and why not. */
const props = defineProps<{ camera: string }>();
const t = texts.cameras.walkTest;
const { params, zone } = useSite();
const report = useReading(() => client.call('camera', { params: { ...params, key: props.camera } }));
const { pictures } = useLive(params.site, [props.camera]);
const { begin, ready, high, low } = useTone();
const frame = computed(() => pictures.get(props.camera)?.frame);
const log = shallowRef<readonly { readonly at: string; readonly text: string; readonly counted: boolean }[]>([]);
const say = (at: string, text: string, counted: boolean) => {
  log.value = [{ at, text, counted }, ...log.value].slice(0, 30);
};
const title = computed(() => report.value.value?.title ?? props.camera);

const isCounted = ({ kind }: EventRow) => ['motion.began', 'object.entered', 'line.crossed', 'object.lingered'].includes(kind);
useStream((message) => {
  if (message.kind !== 'event' || message.event.source.key !== props.camera || !isCounted(message.event)) return;
  high();
  say(message.event.time, eventText(message.event, title.value), true);
});

const moving = computed(() => frame.value?.zones.find(({ state }) => state === 'moving'));
const rising = computed(() => frame.value?.zones.find(({ state }) => state === 'rising'));
/** What moves and does not count: the largest of them, and why. */
const why = computed<BlobVerdict | undefined>(() => {
  const [largest] = [...(frame.value?.blobs ?? [])].filter(({ size }) => size > 0.0003).sort((a, b) => b.size - a.size);
  return largest && largest.verdict !== 'counted' ? largest.verdict : undefined;
});
const now = computed(() =>
  moving.value
    ? t.counted(moving.value.zone)
    : rising.value
      ? t.rising(rising.value.zone)
      : why.value
        ? texts.cameras.verdicts[why.value]
        : t.waiting,
);
const last = ref('');
watch(now, (text) => {
  if (!frame.value || moving.value || text === last.value) return;
  last.value = text;
  if (!why.value || rising.value) return;
  low();
  say(frame.value.time, text, false);
});
// What began to count and did not last is said too.
watch(
  () => rising.value?.zone,
  (zoneNow, before) => {
    if (before && !zoneNow && !moving.value && frame.value)
      say(frame.value.time, `${before}: ${texts.cameras.verdicts['too-short']}`, false);
  },
);
</script>

<template>
  <div class="walk">
    <h1>{{ t.title(title) }}</h1>
    <p class="soft">{{ t.how }}</p>
    <button v-if="!ready" type="button" class="primary-button begin" @click="begin">{{ t.begin }}</button>
    <p class="now" :class="{ counted: moving, rising: rising && !moving }" role="status">
      <span aria-hidden="true">{{ moving ? verdictShapes.counted : why ? verdictShapes[why] : '–' }}</span> {{ now }}
    </p>
    <PictureFrame :source="pictures.get(camera)?.url" :alt="`Live picture of ${title}`" :size="frame?.state">
      <SeenThings v-if="frame" :frame="frame" />
    </PictureFrame>
    <section v-if="log.length > 0">
      <h2>{{ t.log }}</h2>
      <ul>
        <li v-for="(line, i) in log" :key="i" :class="{ counted: line.counted }">
          <time>{{ clockText(line.at, zone) }}</time> {{ line.text }}
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.walk {
  max-width: 40rem;
  display: grid;
  gap: 0.9rem;
}
h1,
h2,
p {
  margin: 0;
}
.begin {
  font-size: 1.15rem;
  padding: 0.8rem 1rem;
}
.now {
  font-size: 1.6rem;
  line-height: 1.25;
  padding: 1.1rem 1rem;
  border: 2px solid var(--line);
  border-radius: 6px;
  text-align: center;
  min-height: 4.4rem;
}
.now.rising {
  border-color: var(--important);
}
.now.counted {
  border-color: var(--thread);
  background: var(--thread);
  color: var(--on-thread);
}
ul {
  list-style: none;
  margin: 0.3rem 0 0;
  padding: 0;
}
li {
  padding: 0.35rem 0;
  border-bottom: 1px solid var(--line);
  color: var(--soft);
}
li.counted {
  color: var(--ink);
  font-weight: 560;
}
time {
  font-variant-numeric: tabular-nums;
}
</style>
