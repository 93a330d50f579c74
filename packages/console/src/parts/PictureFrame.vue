<script setup lang="ts">
import { computed, provide, shallowRef } from 'vue';
import { highFor, pictureHighKey, pictureWide } from './picture-high.js';

/**
 * A picture in its own shape, with a sheet over it for what is drawn. `fit` keeps the frame the same for all and puts
 * the picture into it whole, for lists. Its size is taken from `size` where that is known before the picture is there.
 * What is drawn is no news to who hears the page, unless it is `usable`.
 */
const props = defineProps<{
  source?: string | undefined;
  alt: string;
  size?: { readonly width?: number | undefined; readonly height?: number | undefined } | undefined;
  fit?: boolean;
  usable?: boolean;
}>();
const emit = defineEmits<{ missing: [] }>();
const loaded = shallowRef<{ readonly width: number; readonly height: number }>();
const high = computed(() => highFor(loaded.value ?? props.size));
provide(pictureHighKey, high);

function look({ target }: Event) {
  const { naturalWidth: width, naturalHeight: height } = target as HTMLImageElement;
  if (width > 0 && (width !== loaded.value?.width || height !== loaded.value.height)) loaded.value = { width, height };
}
</script>

<template>
  <div class="picture-frame" :class="{ fit }" :style="{ '--shape': pictureWide / high }">
    <img v-if="source" :src="source" :alt="alt" :loading="fit ? 'lazy' : 'eager'" @load="look" @error="emit('missing')">
    <slot v-else name="waiting" />
    <svg :viewBox="`0 0 ${pictureWide} ${high}`" :aria-hidden="usable ? undefined : true"><slot /></svg>
  </div>
</template>

<style scoped>
.picture-frame {
  container-type: inline-size;
  position: relative;
  aspect-ratio: var(--shape);
  /* A picture that stands upright is as high as the window leaves room, not as wide as the column. */
  max-width: calc(80vh * var(--shape));
  background: var(--line);
  border-radius: 4px;
  overflow: hidden;
}
.picture-frame.fit {
  aspect-ratio: 16 / 9;
  max-width: none;
}
img,
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  display: block;
  object-fit: contain;
}
</style>
