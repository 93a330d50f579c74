<script setup lang="ts">
import type { EventRow } from '@causalis/contract';
import { computed, ref, shallowRef } from 'vue';
import EventList from '../../parts/EventList.vue';
import { texts } from '../../texts.js';
import { useReading } from '../../use/read.js';
import { client, useSession } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import LedgerTabs from './LedgerTabs.vue';

const { site } = useSession();
const params = { site: site.value?.key ?? '' };
const onlyFired = ref(false);
const query = () => (onlyFired.value ? { limit: 30, fired: 'true' } : { limit: 30 });
const newest = useReading(() => client.call('events', { params, query: query() }));
const older = shallowRef<EventRow[]>([]);
const next = ref<string>();
const events = computed(() => [...(newest.value.value?.items ?? []), ...older.value]);
const more = computed(() => (older.value.length > 0 ? next.value : newest.value.value?.next));
useStream((message) => {
  if (message.kind === 'event' || message.kind === 'reset') newest.soon();
});
async function showOlder() {
  const page = await client.call('events', { params, query: { ...query(), before: more.value } });
  older.value = [...older.value, ...page.items];
  next.value = page.next;
}
function filter(fired: boolean) {
  onlyFired.value = fired;
  older.value = [];
  void newest.again();
}
</script>

<template>
  <div class="page">
    <LedgerTabs />
    <div class="filters">
      <button type="button" class="plain-button" :aria-pressed="!onlyFired" @click="filter(false)">{{ texts.ledger.all }}</button>
      <button type="button" class="plain-button" :aria-pressed="onlyFired" @click="filter(true)">{{ texts.ledger.onlyFired }}</button>
    </div>
    <p v-if="newest.error.value" role="alert">{{ newest.error.value }}</p>
    <p v-else-if="newest.value.value && events.length === 0" class="soft">{{ texts.watch.noEvents }} {{ texts.watch.noEventsHow }}</p>
    <EventList :events="events" />
    <button v-if="more" type="button" class="plain-button more" @click="showOlder">{{ texts.ledger.more }}</button>
  </div>
</template>

<style scoped>
.page {
  max-width: 46rem;
}
.filters {
  display: flex;
  gap: 0.5rem;
  margin-bottom: 0.5rem;
}
[aria-pressed="true"] {
  border-color: var(--thread);
  color: var(--thread);
}
.more {
  margin-top: 1rem;
}
</style>
