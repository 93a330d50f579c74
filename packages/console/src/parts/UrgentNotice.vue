<script setup lang="ts">
import type { Firing } from '@causalis/contract';
import { durationText } from '@causalis/words';
import { ref } from 'vue';
import { texts } from '../texts.js';
import { useNow } from '../use/now.js';
import { useSound } from '../use/sound.js';
import { useStream } from '../use/stream.js';

/** Firings of urgent rules stand on every page at once, until somebody puts them away. */
const firing = ref<Firing>();
const count = ref(0);
/** Firings that have been shown: what moves later of one that was put away does not bring it back. */
const shown = new Set<string>();
const now = useNow();
const { ring } = useSound();
useStream((message) => {
  // What a hand did is no alarm to the hand.
  if (message.kind !== 'firing' || message.firing.priority !== 'urgent' || message.firing.rule === 'by-hand') return;
  const known = shown.has(message.firing.id);
  if (known && firing.value?.id !== message.firing.id) return;
  if (!known && Date.now() - Date.parse(message.firing.at) > 60_000) return;
  shown.add(message.firing.id);
  firing.value = message.firing;
  if (known) return;
  count.value++;
  ring();
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
    <strong>{{ firing.test ? `${texts.chain.test}: ${firing.title}` : firing.title }}</strong>
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
