<script setup lang="ts">
import type { Firing } from '@causalis/contract';
import { computed } from 'vue';
import { texts } from '../../texts.js';
import { useNow } from '../../use/now.js';
import Strand from './Strand.vue';
import { scaleOf } from './scale.js';

/** What became of a firing: one strand an action, on one scale of time. */
const props = defineProps<{ firing: Firing; zone: string; mayRetry: boolean }>();
defineEmits<{ retry: [id: string] }>();
const now = useNow();
const scale = computed(() => scaleOf(props.firing, now.value));
</script>

<template>
  <p v-if="firing.actions.length === 0" class="soft small">{{ texts.chain.noActions }}</p>
  <div v-else class="strands">
    <div class="axis small soft" aria-hidden="true">
      <span class="zero">{{ texts.chain.axis }}</span>
      <span class="ticks"
        ><span v-for="tick in scale.ticks" :key="tick.text" class="tick" :style="{ left: `${tick.at * 100}%` }">{{ tick.text }}</span></span
      >
    </div>
    <ol>
      <Strand
        v-for="action in firing.actions"
        :key="action.name"
        :action="action"
        :scale="scale"
        :zone="zone"
        :may-retry="mayRetry"
        @retry="(id: string) => $emit('retry', id)"
      />
    </ol>
  </div>
</template>

<style scoped>
.strands {
  margin-top: 0.5rem;
}
.axis {
  display: grid;
  grid-template-columns: 8.5rem minmax(0, 1fr);
  column-gap: 1rem;
  border-bottom: 1px solid var(--line);
  height: 1.6rem;
}
.ticks {
  position: relative;
}
.tick {
  position: absolute;
  transform: translateX(-50%);
  white-space: nowrap;
}
.tick::after {
  content: "";
  position: absolute;
  left: 50%;
  bottom: -0.3rem;
  height: 0.35rem;
  border-left: 1px solid var(--soft);
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
@media (max-width: 700px) {
  .axis {
    grid-template-columns: minmax(0, 1fr);
    height: 3rem;
  }
}
</style>
