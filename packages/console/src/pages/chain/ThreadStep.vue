<script setup lang="ts">
import { durationText } from '@causalis/words';
import { computed } from 'vue';
import Knot, { type KnotKind } from '../../parts/Knot.vue';
import { threadLength } from './scale.js';

/** One knot on the thread, with the thread that leads to it: its length tells how long it took. */
const props = defineProps<{ kind: KnotKind; since: number; elapsed?: number; last?: boolean; aside?: boolean }>();
const length = computed(() => (props.elapsed === undefined ? 0 : threadLength(props.elapsed)));
</script>

<template>
  <li class="step" :class="{ aside, last }">
    <div v-if="elapsed !== undefined" class="gap" :style="{ height: `${length}rem` }">
      <span v-if="elapsed >= 1" class="elapsed small soft">{{ durationText(elapsed) }}</span>
    </div>
    <span class="time" :class="{ none: aside }">{{ aside ? '' : `+${durationText(since)}` }}</span>
    <span class="place"><Knot :kind="kind" /></span>
    <div class="body"><slot /></div>
  </li>
</template>

<style scoped>
.step {
  position: relative;
  display: grid;
  grid-template-columns: 5.5rem 1.5rem minmax(0, 1fr);
  column-gap: 0.75rem;
}
/* The thread itself runs behind all knots. */
.step::before {
  content: "";
  position: absolute;
  left: calc(5.5rem + 0.75rem + 0.75rem - 1px);
  top: 0;
  bottom: 0;
  border-left: 2px solid var(--thread);
}
.step:first-child::before {
  top: 0.8rem;
}
.step.last::before {
  bottom: auto;
  height: calc(v-bind(length) * 1rem + 0.9rem);
}
.gap {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
}
.elapsed {
  width: 5.5rem;
  text-align: right;
}
.time {
  text-align: right;
  line-height: 1.6rem;
  font-weight: 560;
}
.place {
  position: relative;
  height: 1.6rem;
  display: grid;
  place-items: center;
}
.aside .place {
  transform: translateX(2.1rem);
}
.aside .place::before {
  content: "";
  position: absolute;
  right: 50%;
  width: 2.1rem;
  border-top: 1.5px solid var(--held);
}
.aside .place :deep(svg) {
  position: relative;
}
.aside .body {
  padding-left: 2.3rem;
}
.body {
  padding-bottom: 0.35rem;
  line-height: 1.6rem;
}
.body :deep(strong) {
  margin-right: 0.35em;
}
@media (max-width: 700px) {
  .step {
    grid-template-columns: 4rem 1.25rem minmax(0, 1fr);
    column-gap: 0.4rem;
  }
  .step::before {
    left: calc(4rem + 0.4rem + 0.625rem - 1px);
  }
  .elapsed {
    width: 4rem;
  }
}
</style>
