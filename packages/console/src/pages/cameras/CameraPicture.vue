<script setup lang="ts">
import { addressOf } from '@causalis/client';
import type { CameraReport } from '@causalis/contract';
import { computed, ref } from 'vue';
import MarkShapes from '../../parts/MarkShapes.vue';
import PictureFrame from '../../parts/PictureFrame.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';

/** The newest picture of a camera with its marks; taken once, so that many cameras cost little. */
const props = defineProps<{ camera: CameraReport; about: string }>();
const { params } = useSite();
const missing = ref(false);
const source = computed(() => addressOf('cameraStill', { ...params, key: props.camera.key }));
</script>

<template>
  <PictureFrame :source="missing ? undefined : source" :alt="about" :size="camera.state" fit @missing="missing = true">
    <template #waiting>
      <p class="soft small">
        {{ texts.cameras.noPicture }}<span class="visually-hidden">{{ about }}</span>
      </p>
    </template>
    <MarkShapes :marks="camera.marks" />
  </PictureFrame>
</template>

<style scoped>
p {
  margin: 0;
  padding: 0.6rem 0.8rem;
}
</style>
