<script setup lang="ts">
import { addressOf } from '@causalis/client';
import type { SiteEvent } from '@causalis/contract';
import { computed } from 'vue';
import { useSession } from '../use/session.js';

/** The picture of an event, with the watched zone as a thin line and the box of what moved. */
const props = defineProps<{ event: Pick<SiteEvent, 'still' | 'data' | 'mark'>; alt: string; drawn?: boolean }>();
const { site } = useSession();
const source = computed(() => (props.event.still ? addressOf('media', { site: site.value?.key ?? '', id: props.event.still }) : ''));
const zone = computed(() => props.event.data.zone?.map(([x, y]) => `${x * 160},${y * 90}`).join(' '));
const box = computed(() => props.event.data.box);
</script>

<template>
  <figure class="thumb">
    <img v-if="source" :src="source" :alt="alt" loading="lazy">
    <span v-else class="none" aria-hidden="true"></span>
    <svg v-if="drawn && source" viewBox="0 0 160 90" preserveAspectRatio="none" aria-hidden="true">
      <polygon v-if="zone" :points="zone" class="zone" />
      <rect v-if="box" :x="box[0] * 160" :y="box[1] * 90" :width="box[2] * 160" :height="box[3] * 90" class="box" />
    </svg>
  </figure>
</template>

<style scoped>
.thumb {
  position: relative;
  margin: 0;
  aspect-ratio: 16 / 9;
  background: var(--line);
  border-radius: 4px;
  overflow: hidden;
}
img,
svg,
.none {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  display: block;
}
.zone {
  fill: none;
  stroke: #fdfcf9;
  stroke-width: 1.2;
  vector-effect: non-scaling-stroke;
  stroke-dasharray: 5 4;
}
.box {
  fill: none;
  stroke: #f2c94c;
  stroke-width: 2;
  vector-effect: non-scaling-stroke;
}
</style>
