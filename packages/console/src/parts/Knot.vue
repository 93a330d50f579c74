<script setup lang="ts">
/** Every meaning has a shape: fired filled, held hollow, delivered a closed ring, retrying open with a tick, failed broken. */
export type KnotKind = 'step' | 'fired' | 'held' | 'delivered' | 'open' | 'retrying' | 'failed' | 'bead' | 'bead-failed' | 'receipt';
defineProps<{ kind: KnotKind }>();
</script>

<template>
  <svg class="knot" :class="kind" viewBox="0 0 20 20" width="20" height="20" aria-hidden="true">
    <circle v-if="kind === 'step'" cx="10" cy="10" r="4" class="filled" />
    <circle v-else-if="kind === 'fired'" cx="10" cy="10" r="7" class="filled" />
    <circle v-else-if="kind === 'held'" cx="10" cy="10" r="5" class="ring" />
    <template v-else-if="kind === 'delivered'"
      ><circle cx="10" cy="10" r="6" class="ring thick" />
      <circle cx="10" cy="10" r="2" class="filled" /></template
    >
    <circle v-else-if="kind === 'open'" cx="10" cy="10" r="6" class="ring dashed" />
    <path v-else-if="kind === 'retrying'" d="M14.5 6A6 6 0 1 0 16 10M16 3v4h-4" class="ring thick" />
    <path v-else-if="kind === 'failed'" d="M14 5.5A6 6 0 0 0 4 10M6 14.5A6 6 0 0 0 16 10M7.5 12.5l5-5" class="ring thick" />
    <circle v-else-if="kind === 'bead'" cx="10" cy="10" r="3" class="filled" />
    <path v-else-if="kind === 'bead-failed'" d="M7 7l6 6M13 7l-6 6" class="ring thick" />
    <path v-else d="M5 10l4 4 6-8" class="ring thick" />
  </svg>
</template>

<style scoped>
.knot {
  display: block;
  color: var(--thread);
  overflow: visible;
}
.knot.held,
.knot.open {
  color: var(--held);
}
.knot.retrying {
  color: var(--important);
}
.knot.failed,
.knot.bead-failed {
  color: var(--urgent);
}
.filled {
  fill: currentColor;
}
.ring {
  fill: var(--ground);
  stroke: currentColor;
  stroke-width: 1.5;
  stroke-linecap: round;
  stroke-linejoin: round;
}
path.ring {
  fill: none;
}
.thick {
  stroke-width: 2.2;
}
.dashed {
  stroke-dasharray: 3 3;
}
</style>
