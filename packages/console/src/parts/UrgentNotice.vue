<script setup lang="ts">
import type { Firing } from '@causalis/contract';
import { durationText } from '@causalis/words';
import { ref } from 'vue';
import { texts } from '../texts.js';
import { useNow } from '../use/now.js';
import { useStream } from '../use/stream.js';

/** Firings of urgent rules stand on every page at once, until somebody puts them away. */
const firing = ref<Firing>();
const count = ref(0);
const now = useNow();
useStream((message) => {
  if (message.kind !== 'firing' || message.firing.priority !== 'urgent') return;
  const known = firing.value?.id === message.firing.id;
  if (!known && Date.now() - Date.parse(message.firing.at) > 60_000) return;
  firing.value = message.firing;
  if (!known) count.value++;
});
const agoText = (ms: number) => (ms < 1_500 ? texts.urgent.now : texts.urgent.ago(durationText(ms)));
function away() {
  firing.value = undefined;
  count.value = 0;
}
</script>

<template>
  <section v-if="firing" class="urgent" role="alert">
    <svg viewBox="0 0 20 20" width="20" height="20" aria-hidden="true">
      <path d="M10 2l8 15H2z" fill="none" stroke="currentColor" stroke-width="1.8" stroke-linejoin="round" />
      <path d="M10 8v4M10 14.2v.6" stroke="currentColor" stroke-width="1.8" stroke-linecap="round" />
    </svg>
    <strong>{{ firing.title }}</strong>
    <span class="when">{{ agoText(now - Date.parse(firing.at)) }}<template v-if="count > 1">, {{ count }} times</template></span>
    <RouterLink :to="`/ledger/events/${firing.event}`">{{ texts.urgent.see }}</RouterLink>
    <button type="button" @click="away">{{ texts.urgent.away }}</button>
  </section>
</template>

<style scoped>
.urgent {
  display: flex;
  align-items: center;
  gap: 0.8rem;
  padding: 0.6rem 1.5rem;
  color: var(--urgent);
  border-bottom: 2px solid var(--urgent);
  background: var(--sheet);
  flex-wrap: wrap;
}
.urgent a {
  color: inherit;
}
.when {
  flex: 1;
}
.urgent button {
  border: 0;
  background: none;
  color: var(--soft);
  cursor: pointer;
}
@media print {
  .urgent {
    display: none;
  }
}
</style>
