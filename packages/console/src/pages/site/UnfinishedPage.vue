<script setup lang="ts">
import FindingList from '../../parts/FindingList.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import SiteTabs from './SiteTabs.vue';

const { params } = useSite();
const unfinished = useReading(() => client.call('unfinished', { params }));
useStream((message) => {
  if (message.kind === 'event' || message.kind === 'delivery' || message.kind === 'revision' || message.kind === 'reset') unfinished.soon();
});
</script>

<template>
  <div class="unfinished" :aria-busy="unfinished.loading.value">
    <SiteTabs />
    <p class="small soft">{{ texts.site.unfinishedHow }}</p>
    <p v-if="unfinished.error.value" role="alert">{{ unfinished.error.value }}</p>
    <p v-else-if="unfinished.value.value?.findings.length === 0" class="well">{{ texts.site.finished }}</p>
    <FindingList v-else-if="unfinished.value.value" :findings="unfinished.value.value.findings" with-path />
  </div>
</template>

<style scoped>
.unfinished {
  max-width: 52rem;
  display: grid;
  gap: 0.8rem;
}
.well {
  color: var(--well);
}
</style>
