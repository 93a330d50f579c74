<script setup lang="ts">
import type { LiveFrame } from '@causalis/contract';
import { computed } from 'vue';
import { usePictureHigh, pictureWide as wide } from './picture-high.js';
import { verdictShapes } from './verdict-shapes.js';

/** What moves on a picture, in the shape and colour of its verdict; what a recogniser named with its label. */
const props = defineProps<{ frame: LiveFrame; all?: boolean }>();
const high = usePictureHigh();
const blobs = computed(() =>
  (props.frame.objects.length > 0 && !props.all ? [] : props.frame.blobs).filter(({ verdict }) => props.all || verdict !== 'outside'),
);
const side = (box: readonly number[]) => ({
  x: box[0] * wide,
  y: box[1] * high.value,
  width: box[2] * wide,
  height: box[3] * high.value,
});
const above = (box: readonly number[]) => ({ x: box[0] * wide + 6, y: Math.max(26, box[1] * high.value - 8) });
</script>

<template>
  <g v-for="(blob, i) in blobs" :key="`b${i}`" class="seen" :class="blob.verdict">
    <rect v-bind="side(blob.box)" />
    <text v-bind="above(blob.box)">{{ verdictShapes[blob.verdict] }}</text>
  </g>
  <g v-for="(object, i) in frame.objects" :key="`o${i}`" class="seen named" :class="object.verdict">
    <rect v-bind="side(object.box)" rx="10" />
    <text v-bind="above(object.box)">{{ verdictShapes[object.verdict] }} {{ object.label }} {{ Math.round(object.sure * 100) }}%</text>
  </g>
</template>

<style scoped>
rect {
  fill: none;
  stroke: #c9d3cb;
  stroke-width: 3.5;
  stroke-dasharray: 8 6;
}
text {
  font:
    560 24px "Inter Variable",
    sans-serif;
  fill: #c9d3cb;
  paint-order: stroke;
  stroke: #1d2420;
  stroke-width: 5px;
}
.counted rect {
  stroke: #f2c94c;
  stroke-dasharray: none;
}
.counted text {
  fill: #f2c94c;
}
.named.counted rect {
  stroke: #6fbfa8;
}
.named.counted text {
  fill: #9fdcc9;
}
@container (max-width: 480px) {
  text {
    font-size: 44px;
    stroke-width: 9px;
  }
}
</style>
