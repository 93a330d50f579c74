<script setup lang="ts">
import type { CameraReport, EventRow } from '@causalis/contract';
import { computed, effectScope, onScopeDispose, shallowRef, watch } from 'vue';
import EventList from '../../parts/EventList.vue';
import { texts } from '../../texts.js';
import { useCounters } from '../../use/counters.js';
import { useReading } from '../../use/read.js';
import { client, useSession } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import CameraView from './CameraView.vue';
import { useLive } from './use-live.js';

const shownEvents = 7;
/** That something has ended or left is in the ledger; here it would push away what began. */
const isNews = ({ kind }: EventRow) => kind !== 'motion.ended' && kind !== 'object.left';
const { site } = useSession();
const key = site.value?.key ?? '';
const cameras = useReading(() => client.call('cameras', { params: { site: key } }));
const events = useReading(() => client.call('events', { params: { site: key }, query: { limit: shownEvents * 3 } }));
const counters = useCounters(key);
const live = shallowRef<ReturnType<typeof useLive>>();

const newest = computed(() => (events.value.value?.items ?? []).filter(isNews).slice(0, shownEvents));
const list = computed<CameraReport[]>(() => cameras.value.value?.items ?? []);
/** One connection for all cameras of the page; a new one only when there are other cameras. */
const names = computed(() => list.value.map((camera) => camera.key).join(' '));
let scope = effectScope();
watch(names, (all) => {
  scope.stop();
  scope = effectScope();
  live.value = all === '' ? undefined : scope.run(() => useLive(key, all.split(' ')));
});
onScopeDispose(() => scope.stop());

useStream((message) => {
  if (message.kind === 'event' && isNews(message.event)) add(message.event);
  if (message.kind === 'camera' && cameras.value.value)
    cameras.value.value = { items: list.value.map((camera) => (camera.key === message.camera.key ? message.camera : camera)) };
  if (message.kind === 'reset' || message.kind === 'revision') {
    cameras.soon();
    events.soon();
  }
});
function add(event: EventRow) {
  const before = events.value.value?.items ?? [];
  events.value.value = { items: [event, ...before.filter(({ id }) => id !== event.id)].slice(0, shownEvents * 3) };
}
</script>

<template>
  <div class="watch">
    <h1 class="visually-hidden">{{ texts.watch.title }}</h1>
    <section class="cameras" :class="{ many: list.length > 1 }" aria-label="Cameras">
      <p v-if="cameras.error.value" role="alert">{{ cameras.error.value }}</p>
      <div v-else-if="cameras.value.value && list.length === 0" class="empty">
        <p>{{ texts.watch.noCameras }}</p>
        <p class="soft">{{ texts.watch.noCamerasHow }}</p>
      </div>
      <div v-else-if="!cameras.value.value" class="placeholder" aria-busy="true"></div>
      <CameraView
        v-for="camera in list"
        :key="camera.key"
        :camera="camera"
        :live="live?.pictures.get(camera.key)"
        :levels="live?.levels ?? new Map()"
        :counts="counters.byMark(camera.key)"
      />
    </section>
    <section class="newest" :aria-label="texts.watch.newest">
      <h2>{{ texts.watch.newest }}</h2>
      <p v-if="events.error.value" role="alert">{{ events.error.value }}</p>
      <div v-else-if="events.value.value && newest.length === 0" class="empty">
        <p>{{ texts.watch.noEvents }}</p>
        <p class="soft">{{ texts.watch.noEventsHow }}</p>
      </div>
      <EventList :events="newest" />
    </section>
  </div>
</template>

<style scoped>
.watch {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 23rem;
  gap: 2rem;
  align-items: start;
}
.cameras {
  display: grid;
  gap: 2rem;
}
.many {
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 21rem), 1fr));
}
.placeholder {
  aspect-ratio: 16 / 9;
  background: var(--line);
  border-radius: 4px;
  margin-top: 2.3rem;
}
.empty {
  padding: 1rem 0;
  display: grid;
  gap: 0.3rem;
}
@media (max-width: 1000px) {
  .watch {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
