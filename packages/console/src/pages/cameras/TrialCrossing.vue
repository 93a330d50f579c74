<script setup lang="ts">
import type { DrawnMark } from '@causalis/contract';
import { computed } from 'vue';
import { acrossLine } from '../../parts/line-side.js';
import { usePictureHigh } from '../../parts/picture-high.js';
import { texts } from '../../texts.js';

/** Somebody who crosses a line on trial: a dot that goes over it, and which numbers rise. Nothing is counted by it. */
const props = defineProps<{ mark: DrawnMark; direction: 'in' | 'out'; counts: { in: number; out: number; inside: number } }>();
const high = usePictureHigh();
const reach = 150;
const way = computed(() => {
  const { x, y, nx, ny } = acrossLine(props.mark, high.value);
  const turn = props.direction === 'in' ? reach : -reach;
  return { x1: x - nx * turn, y1: y - ny * turn, x2: x + nx * turn, y2: y + ny * turn };
});
const said = computed(() => {
  const { in: inwards, out, inside } = props.counts;
  return props.direction === 'in'
    ? texts.cameras.counting.rises('in', inwards, inwards + 1, inside, inside + 1)
    : texts.cameras.counting.rises('out', out, out + 1, inside, Math.max(0, inside - 1));
});
</script>

<template>
  <g class="trial" role="status">
    <line v-bind="way" />
    <circle :cx="way.x2" :cy="way.y2" r="18">
      <animate attributeName="cx" :from="way.x1" :to="way.x2" dur="0.15s" />
      <animate attributeName="cy" :from="way.y1" :to="way.y2" dur="0.15s" />
    </circle>
    <text :x="Math.min(1100, Math.max(20, way.x2 + 30))" :y="Math.min(high - 20, Math.max(40, way.y2 + 10))">{{ said }}</text>
  </g>
</template>

<style scoped>
line {
  stroke: #fdfcf9;
  stroke-width: 3;
  stroke-dasharray: 2 10;
  stroke-linecap: round;
}
circle {
  fill: #6fbfa8;
  stroke: #1d2420;
  stroke-width: 3;
}
text {
  font:
    620 30px "Inter Variable",
    sans-serif;
  fill: #fdfcf9;
  paint-order: stroke;
  stroke: #1d2420;
  stroke-width: 6px;
}
@media (prefers-reduced-motion: reduce) {
  animate {
    display: none;
  }
}
</style>
