<script setup lang="ts">
import { addressOf } from '@causalis/client';
import type { CameraReport } from '@causalis/contract';
import { computed, ref } from 'vue';
import MarkShapes from '../../parts/MarkShapes.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';

/** The newest picture of a camera with its marks; taken once, so that many cameras cost little. */
const props = defineProps<{ camera: CameraReport; about: string }>();
const { params } = useSite();
const missing = ref(false);
const source = computed(() => addressOf('cameraStill', { ...params, key: props.camera.key }));
</script>

<template>
  <div class="frame">
    <img v-if="!missing" :src="source" :alt="about" loading="lazy" @error="missing = true">
    <p v-else class="soft small">
      {{ texts.cameras.noPicture }}<span class="visually-hidden">{{ about }}</span>
    </p>
    <svg viewBox="0 0 1600 900" aria-hidden="true"><MarkShapes :marks="camera.marks" /></svg>
  </div>
</template>

<style scoped>
.frame {
  container-type: inline-size;
  position: relative;
  aspect-ratio: 16 / 9;
  background: var(--line);
  border-radius: 4px;
  overflow: hidden;
}
p {
  margin: 0;
  padding: 0.6rem 0.8rem;
}
img,
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
</style>
