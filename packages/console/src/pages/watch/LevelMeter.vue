<script setup lang="ts">
import type { ZoneLevel } from '@causalis/contract';
import { shareText } from '@causalis/words';
import { computed } from 'vue';
import { texts } from '../../texts.js';
import { type LevelPoint, meterMs } from './use-live.js';

/** The level of one zone over the last minute, against its threshold. */
const props = defineProps<{ zone: ZoneLevel; points: readonly LevelPoint[] }>();
const width = 600;
const height = 64;
/** The threshold stands at a third of the height, so that ordinary motion and large motion both have room. */
const top = computed(() => Math.max(props.zone.threshold * 3, ...props.points.map(({ level }) => level)));
const y = (level: number) => height - 2 - (level / top.value) * (height - 6);
const end = computed(() => props.points.at(-1)?.at ?? 0);
const line = computed(() =>
  props.points.map(({ at, level }) => `${(width * (1 - (end.value - at) / meterMs)).toFixed(1)},${y(level).toFixed(1)}`).join(' '),
);
const area = computed(() =>
  props.points.length > 1 ? `${line.value} ${width},${height} ${width * (1 - (end.value - props.points[0].at) / meterMs)},${height}` : '',
);
const states = { quiet: 'quiet', rising: 'rising', moving: 'moving' };
</script>

<template>
  <div class="meter" :class="zone.state">
    <div class="words small">
      <strong>{{ zone.zone }}</strong>
      <span class="state">{{ states[zone.state] }}</span>
      <span class="soft">{{ shareText(zone.level) }} of {{ shareText(zone.threshold) }}</span>
      <span class="soft right">{{ texts.watch.last }}</span>
    </div>
    <svg :viewBox="`0 0 ${width} ${height}`" preserveAspectRatio="none" role="img" :aria-label="texts.watch.level(zone.zone)">
      <polygon v-if="area" :points="area" class="area" />
      <polyline :points="line" class="line" />
      <line x1="0" :x2="width" :y1="y(zone.threshold)" :y2="y(zone.threshold)" class="threshold" />
    </svg>
  </div>
</template>

<style scoped>
.words {
  display: flex;
  gap: 0.75rem;
  padding-bottom: 0.3rem;
}
.right {
  margin-left: auto;
}
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
.moving .state {
  color: var(--thread);
  font-weight: 620;
}
</style>
