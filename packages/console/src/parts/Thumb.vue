<script setup lang="ts">
import { addressOf } from '@causalis/client';
import type { SiteEvent } from '@causalis/contract';
import { computed } from 'vue';
import { useSession } from '../use/session.js';
import EventShapes from './EventShapes.vue';
import PictureFrame from './PictureFrame.vue';

/** The picture of an event, with the watched zone as a thin line and the box of what moved. */
const props = defineProps<{ event: Pick<SiteEvent, 'still' | 'data' | 'mark'>; alt: string; drawn?: boolean; fit?: boolean }>();
const { site } = useSession();
const source = computed(() => (props.event.still ? addressOf('media', { site: site.value?.key ?? '', id: props.event.still }) : ''));
</script>

<template>
  <PictureFrame :source="source" :alt="alt" :fit="fit">
    <EventShapes v-if="drawn && source" :data="event.data" />
  </PictureFrame>
</template>
