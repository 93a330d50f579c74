<script setup lang="ts">
import type { SiteEvent } from '@causalis/contract';
import { usePictureHigh, pictureWide as wide } from './picture-high.js';

/** What an event's own data say of its picture: the watched zone, and the box of what moved. */
defineProps<{ data: SiteEvent['data'] }>();
const high = usePictureHigh();
</script>

<template>
  <polygon v-if="data.zone" :points="data.zone.map(([x, y]) => `${x * wide},${y * high}`).join(' ')" class="zone" />
  <rect
    v-if="data.box"
    :x="data.box[0] * wide"
    :y="data.box[1] * high"
    :width="data.box[2] * wide"
    :height="data.box[3] * high"
    class="box"
  />
</template>

<style scoped>
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
