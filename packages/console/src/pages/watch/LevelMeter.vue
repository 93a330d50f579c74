<script setup lang="ts">
import type { ZoneLevel } from '@causalis/contract';
import { shareText } from '@causalis/words';
import { computed } from 'vue';
import { texts } from '../../texts.js';
import TraceLine from './TraceLine.vue';
import type { LevelPoint } from './use-live.js';

/**
 * The level of one zone over the last minute against its threshold; where it is set, also by how much its cells differ
 * against what they must. `wanted` are values that are being tried and not saved yet.
 */
const props = defineProps<{
  zone: ZoneLevel;
  points: readonly LevelPoint[];
  both?: boolean;
  wanted?: { threshold?: number; difference?: number };
}>();
const threshold = computed(() => props.wanted?.threshold ?? props.zone.threshold);
const difference = computed(() => props.wanted?.difference ?? props.zone.difference);
const moving = computed(() => props.zone.state === 'moving');
const levels = computed(() => props.points.map(({ at, level }) => ({ at, value: level })));
const differences = computed(() => props.points.map(({ at, differs }) => ({ at, value: differs })));
const states = { quiet: 'quiet', rising: 'rising', moving: 'moving' };
</script>

<template>
  <div class="meter" :class="zone.state">
    <div class="words small">
      <strong>{{ zone.zone }}</strong>
      <span class="state">{{ states[zone.state] }}</span>
      <span class="soft">{{ texts.watch[both ? 'changes' : 'levelOf'](shareText(zone.level), shareText(threshold)) }}</span>
      <span class="soft right">{{ texts.watch.last }}</span>
    </div>
    <TraceLine :points="levels" :passes="threshold" :moving="moving" :label="texts.watch.level(zone.zone)" />
    <template v-if="both">
      <p class="words small soft">{{ texts.watch.differs(zone.differs, difference) }}</p>
      <TraceLine :points="differences" :passes="difference" :moving="moving" :label="texts.watch.difference(zone.zone)" />
    </template>
  </div>
</template>

<style scoped>
.words {
  display: flex;
  gap: 0.75rem;
  margin: 0;
  padding: 0.3rem 0;
}
.right {
  margin-left: auto;
}
.moving .state {
  color: var(--thread);
  font-weight: 620;
}
</style>
