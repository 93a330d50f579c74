<script setup lang="ts">
import { computed } from 'vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import RuleItem from './RuleItem.vue';

const { params } = useSite();
const rules = useReading(() => client.call('rules', { params }));
const cameras = useReading(() => client.call('cameras', { params }));
useStream((message) => {
  if (message.kind === 'firing' || message.kind === 'event' || message.kind === 'revision' || message.kind === 'reset') rules.soon();
});
const titles = computed(() => Object.fromEntries((cameras.value.value?.items ?? []).map(({ key, title }) => [key, title])));
</script>

<template>
  <div class="rules" :aria-busy="rules.loading.value">
    <h1>{{ texts.rules.title }}</h1>
    <p v-if="rules.error.value" role="alert">{{ rules.error.value }}</p>
    <p v-else-if="rules.value.value?.items.length === 0">{{ texts.rules.none }} <span class="soft">{{ texts.rules.noneHow }}</span></p>
    <div v-else-if="!rules.value.value" class="placeholder"></div>
    <ol>
      <RuleItem v-for="row in rules.value.value?.items ?? []" :key="row.key" :row="row" :titles="titles" @changed="rules.again()" />
    </ol>
  </div>
</template>

<style scoped>
.rules {
  max-width: 50rem;
}
h1 + p {
  margin-top: 0.75rem;
}
ol {
  list-style: none;
  margin: 1rem 0 0;
  padding: 0;
}
.placeholder {
  height: 60vh;
}
</style>
