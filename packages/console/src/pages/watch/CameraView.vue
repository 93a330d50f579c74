<script setup lang="ts">
import type { CameraReport } from '@causalis/contract';
import { brokenText, cameraText, clockText } from '@causalis/words';
import { computed } from 'vue';
import MarkShapes from '../../parts/MarkShapes.vue';
import PictureFrame from '../../parts/PictureFrame.vue';
import SeenThings from '../../parts/SeenThings.vue';
import { texts } from '../../texts.js';
import type { CounterNow } from '../../use/counters.js';
import { useSession } from '../../use/session.js';
import LevelMeter from './LevelMeter.vue';
import type { LevelPoint, LivePicture } from './use-live.js';

/** One camera live: its picture with marks and what moves, and the level of each zone below it. */
const props = defineProps<{
  camera: CameraReport;
  live: LivePicture | undefined;
  levels: ReadonlyMap<string, LevelPoint[]>;
  counts: ReadonlyMap<string, CounterNow>;
}>();
const { site } = useSession();
const state = computed(() => props.camera.state);
</script>

<template>
  <article class="camera" :aria-label="camera.title">
    <header>
      <h2>{{ camera.title }}</h2>
      <span class="state small" :class="state.state">{{ cameraText(state) }}</span>
      <span v-if="camera.state.broken" class="small soft">{{ brokenText(camera.state) }}</span>
      <time v-if="live && site" class="small soft" :datetime="live.frame.time">{{ clockText(live.frame.time, site.timezone) }}</time>
    </header>
    <PictureFrame
      class="picture"
      :class="{ stale: state.state !== 'live' }"
      :source="live?.url"
      :alt="`Live picture of ${camera.title}`"
      :size="state"
    >
      <template #waiting>
        <p class="waiting soft">{{ state.state === 'lost' ? cameraText(state) : texts.watch.waiting }}</p>
      </template>
      <MarkShapes :marks="camera.marks" :counts="counts" />
      <SeenThings v-if="live && state.state !== 'lost'" :frame="live.frame" />
    </PictureFrame>
    <LevelMeter
      v-for="zone in live?.frame.zones ?? []"
      :key="zone.zone"
      :zone="zone"
      :points="levels.get(`${camera.key} ${zone.zone}`) ?? []"
    />
  </article>
</template>

<style scoped>
.camera {
  display: grid;
  gap: 0.8rem;
  align-content: start;
}
header {
  display: flex;
  gap: 0.9rem;
  align-items: baseline;
}
header time {
  margin-left: auto;
}
.state.live {
  color: var(--well);
}
.state.late {
  color: var(--important);
}
.state.lost {
  color: var(--urgent);
}
.picture.stale :deep(img) {
  filter: grayscale(1) opacity(0.45);
}
.waiting {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  padding: 1rem;
  text-align: center;
}
</style>
