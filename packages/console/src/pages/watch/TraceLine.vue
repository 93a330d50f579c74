<script setup lang="ts">
import { computed } from 'vue';
import { meterMs } from './use-live.js';

/** A value over the last minute against the line that it must pass. */
const props = defineProps<{ points: readonly { at: number; value: number }[]; passes: number; label: string; moving: boolean }>();
const width = 600;
const height = 64;
/** The line stands at a third of the height at least, so that ordinary motion and large motion both have room. */
const top = computed(() => Math.max(props.passes * 3, ...props.points.map(({ value }) => value)) || 1);
const y = (value: number) => height - 2 - (value / top.value) * (height - 6);
const end = computed(() => props.points.at(-1)?.at ?? 0);
const x = (at: number) => (width * (1 - (end.value - at) / meterMs)).toFixed(1);
const line = computed(() => props.points.map(({ at, value }) => `${x(at)},${y(value).toFixed(1)}`).join(' '));
const area = computed(() => (props.points.length > 1 ? `${line.value} ${width},${height} ${x(props.points[0].at)},${height}` : ''));
</script>

<template>
  <svg :viewBox="`0 0 ${width} ${height}`" :class="{ moving }" preserveAspectRatio="none" role="img" :aria-label="label">
    <polygon v-if="area" :points="area" class="area" />
    <polyline :points="line" class="line" />
    <line x1="0" :x2="width" :y1="y(passes)" :y2="y(passes)" class="threshold" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  height: 4rem;
  border-bottom: 1px solid var(--line);
}
.line {
  fill: none;
  stroke: var(--routine);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
.area {
  fill: var(--routine);
  opacity: 0.12;
}
.threshold {
  stroke: var(--urgent);
  stroke-width: 1.2;
  stroke-dasharray: 6 4;
  vector-effect: non-scaling-stroke;
}
.moving .line {
  stroke: var(--thread);
}
.moving .area {
  fill: var(--thread);
  opacity: 0.25;
}
</style>
