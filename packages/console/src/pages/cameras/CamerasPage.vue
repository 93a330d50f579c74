<script setup lang="ts">
import type { CameraReport } from '@causalis/contract';
import { brokenText, cameraText } from '@causalis/words';
import { computed } from 'vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useCounters } from '../../use/counters.js';
import { useDoing } from '../../use/doing.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import CameraPicture from './CameraPicture.vue';

/** Every camera with its state, its counters and the ways to its settings. */
const { params, may } = useSite();
const [mayConfigure, mayOperate] = [may('configure'), may('operate')];
const cameras = useReading(() => client.call('cameras', { params }));
const counters = useCounters(params.site);
const { busy, failed, run } = useDoing();
const list = computed<readonly CameraReport[]>(() => cameras.value.value?.items ?? []);
const countersOf = (key: string) => [...counters.byMark(key).values()];
const begin = (camera: string, mark: string) =>
  run('reset', async () => {
    await client.call('resetCounter', { params: { ...params, camera, mark } });
    await counters.again();
  });

useStream((message) => {
  if (message.kind === 'camera' && cameras.value.value)
    cameras.value.value = { items: list.value.map((camera) => (camera.key === message.camera.key ? message.camera : camera)) };
  if (message.kind === 'reset' || message.kind === 'revision') cameras.soon();
});
</script>

<template>
  <div>
    <header class="tabs">
      <h1>{{ texts.cameras.title }}</h1>
      <RouterLink v-if="mayConfigure" to="/sources">{{ texts.cameras.sources }}</RouterLink>
      <RouterLink v-if="mayConfigure" to="/cameras/new" class="add">{{ texts.cameras.add }}</RouterLink>
    </header>
    <p v-if="cameras.error.value || failed" role="alert" class="failed">{{ cameras.error.value || failed }}</p>
    <div v-else-if="cameras.value.value && list.length === 0">
      <p>{{ texts.cameras.none }}</p>
    </div>
    <ul class="all">
      <li v-for="camera in list" :key="camera.key" :data-camera="camera.key">
        <RouterLink :to="`/cameras/${camera.key}`" class="picture">
          <CameraPicture :camera="camera" :about="`${texts.cameras.set} ${camera.title}`" />
        </RouterLink>
        <div class="words">
          <h2>{{ camera.title }}</h2>
          <p class="state" :class="camera.state.state">{{ cameraText(camera.state) }}</p>
          <p class="small soft">
            <span v-if="camera.state.width">{{ camera.state.width }} × {{ camera.state.height }}, {{ camera.state.rate }}/s</span>
            <span v-if="camera.state.broken">{{ brokenText(camera.state) }}</span>
          </p>
          <p v-for="counter in countersOf(camera.key)" :key="counter.mark" class="counter">
            <strong>{{ counter.mark }}</strong> {{ texts.cameras.counts(counter.in, counter.out, counter.inside) }}
            <button
              v-if="mayOperate"
              type="button"
              class="plain-button small"
              :aria-disabled="busy !== ''"
              @click="begin(camera.key, counter.mark)"
            >
              {{ texts.cameras.reset }}
            </button>
          </p>
          <p class="ways">
            <RouterLink :to="`/cameras/${camera.key}`">{{ texts.cameras.set }}</RouterLink>
            <RouterLink :to="`/cameras/${camera.key}/walk`">{{ texts.cameras.walk }}</RouterLink>
          </p>
        </div>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.all {
  list-style: none;
  margin: 0;
  padding: 0;
}
.all li {
  display: grid;
  grid-template-columns: 15rem minmax(0, 1fr);
  gap: 1.25rem;
  padding: 1rem 0;
  border-bottom: 1px solid var(--line);
}
h2,
.words p {
  margin: 0;
}
.words {
  display: grid;
  gap: 0.25rem;
  align-content: start;
}
.counter {
  font-variant-numeric: tabular-nums;
}
.ways {
  display: flex;
  gap: 1.25rem;
}
.small span + span {
  margin-left: 0.8rem;
}
.state.live {
  color: var(--well);
}
.state.late,
.state.frozen {
  color: var(--important);
}
.state.lost,
.failed {
  color: var(--urgent);
}
@media (max-width: 700px) {
  .all li {
    grid-template-columns: 1fr;
  }
}
</style>
