<script setup lang="ts">
import type { CameraReport } from '@causalis/contract';
import { brokenText, cameraText, clockText } from '@causalis/words';
import { computed } from 'vue';
import { verdictShapes } from '../../parts/verdict-shapes.js';
import { texts } from '../../texts.js';
import { useSession } from '../../use/session.js';
import LevelMeter from './LevelMeter.vue';
import type { LevelPoint, LivePicture } from './use-live.js';

/** One camera live: its picture with marks and what moves, and the level of each zone below it. */
const props = defineProps<{ camera: CameraReport; live: LivePicture | undefined; levels: ReadonlyMap<string, LevelPoint[]> }>();
const { site } = useSession();
const state = computed(() => props.camera.state);
const points = (corners: readonly (readonly [number, number])[]) => corners.map(([x, y]) => `${x * 1600},${y * 900}`).join(' ');
/** A mark's name stands at its corner nearest to the upper left, inside of the picture. */
const nameAt = (corners: readonly (readonly [number, number])[]) => {
  const [x, y] = [...corners].sort((a, b) => a[0] + a[1] - b[0] - b[1])[0];
  return { x: Math.min(x, 0.86) * 1600 + 12, y: Math.max(y, 0.02) * 900 + 32 };
};
/** Each verdict has a shape beside its colour. */
const shown = computed(() =>
  state.value.state === 'lost' ? [] : (props.live?.frame.blobs ?? []).filter(({ verdict }) => verdict !== 'outside'),
);
</script>

<template>
  <article class="camera" :aria-label="camera.title">
    <header>
      <h2>{{ camera.title }}</h2>
      <span class="state small" :class="state.state">{{ cameraText(state) }}</span>
      <span v-if="camera.state.broken" class="small soft">{{ brokenText(camera.state) }}</span>
      <time v-if="live && site" class="small soft" :datetime="live.frame.time">{{ clockText(live.frame.time, site.timezone) }}</time>
    </header>
    <div class="picture" :class="{ stale: state.state !== 'live' }">
      <img v-if="live?.url" :src="live.url" :alt="`Live picture of ${camera.title}`">
      <p v-else class="waiting soft">{{ state.state === 'lost' ? cameraText(state) : texts.watch.waiting }}</p>
      <svg viewBox="0 0 1600 900" aria-hidden="true">
        <g v-for="mark in camera.marks" :key="mark.name" :class="mark.kind">
          <polygon :points="points(mark.corners)" />
          <text v-bind="nameAt(mark.corners)">{{ mark.name }}</text>
        </g>
        <g v-for="(blob, i) in shown" :key="i" class="blob" :class="blob.verdict">
          <rect :x="blob.box[0] * 1600" :y="blob.box[1] * 900" :width="blob.box[2] * 1600" :height="blob.box[3] * 900" />
          <text :x="blob.box[0] * 1600 + 6" :y="blob.box[1] * 900 - 8">{{ verdictShapes[blob.verdict] }}</text>
        </g>
      </svg>
    </div>
    <LevelMeter
      v-for="zone in live?.frame.zones ?? []"
      :key="zone.zone"
      :zone="zone"
      :points="levels.get(`${camera.key} ${zone.zone}`) ?? []"
    />
  </article>
</template>

<style scoped>
.camera {
  display: grid;
  gap: 0.8rem;
}
header {
  display: flex;
  gap: 0.9rem;
  align-items: baseline;
}
header time {
  margin-left: auto;
}
.state.live {
  color: var(--well);
}
.state.late {
  color: var(--important);
}
.state.lost {
  color: var(--urgent);
}
.picture {
  position: relative;
  aspect-ratio: 16 / 9;
  background: var(--line);
  border-radius: 4px;
  overflow: hidden;
}
.picture img,
.picture svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  display: block;
}
.picture.stale img {
  filter: grayscale(1) opacity(0.45);
}
.waiting {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  padding: 1rem;
  text-align: center;
}
polygon {
  fill: none;
  stroke-width: 2.5;
}
.zone polygon {
  stroke: #fdfcf9;
}
.ignored polygon {
  stroke: #fdfcf9;
  stroke-dasharray: 4 9;
  opacity: 0.75;
}
text {
  font:
    560 24px "Inter Variable",
    sans-serif;
  fill: #fdfcf9;
  paint-order: stroke;
  stroke: #1d2420;
  stroke-width: 5px;
}
@media (max-width: 700px) {
  text {
    font-size: 48px;
    stroke-width: 9px;
  }
}
.blob rect {
  fill: none;
  stroke-width: 3.5;
}
.blob.counted rect {
  stroke: #f2c94c;
}
.blob.counted text {
  fill: #f2c94c;
}
.blob.too-small rect,
.blob.too-large rect {
  stroke: #c9d3cb;
  stroke-dasharray: 8 6;
}
</style>
