<script setup lang="ts">
import { durationMs, type ReplayedMotion, type WatchingInForce } from '@causalis/contract';
import { durationText } from '@causalis/words';
import { computed } from 'vue';
import { texts } from '../../texts.js';

/** All durations on one bar of time, drawn on a real event: it moves, must last, goes on, must be quiet, and pauses. */
const props = defineProps<{
  event: ReplayedMotion | undefined;
  inForce: readonly WatchingInForce[];
  own: Readonly<Record<string, unknown>>;
}>();
const t = texts.cameras;
const ms = (name: string): number => {
  const text = String(props.own[name] ?? props.inForce.find((one) => one.name === name && !one.dark)?.value ?? '0s');
  try {
    return durationMs(text);
  } catch {
    return 0;
  }
};
const parts = computed(() => {
  if (!props.event) return [];
  const moved = Date.parse(props.event.last) - Date.parse(props.event.first);
  const [least, quiet, pause] = [ms('at-least'), ms('quiet'), ms('pause')];
  const all = [
    { name: 'at-least', kind: 'least', ms: Math.min(least, moved) },
    { name: 'event', kind: 'event', ms: Math.max(0, moved - least) },
    { name: 'quiet', kind: 'quiet', ms: quiet },
    { name: 'pause', kind: 'pause', ms: pause },
  ].filter((part) => part.ms > 0);
  const whole = all.reduce((sum, part) => sum + part.ms, 0);
  return all.map((part) => ({
    ...part,
    share: Math.max(6, (part.ms / whole) * 100),
    title: part.name === 'event' ? 'Goes on' : t.names[part.name as 'quiet'],
  }));
});
</script>

<template>
  <section>
    <h2>{{ t.bar }}</h2>
    <p v-if="!event" class="soft">{{ t.barNone }}</p>
    <div v-else class="time">
      <div v-for="part in parts" :key="part.name" :class="part.kind" :style="{ flexGrow: part.share }">
        <span class="stroke"></span>
        <span class="small">{{ part.title }} {{ durationText(part.ms) }}</span>
      </div>
    </div>
  </section>
</template>

<style scoped>
h2,
p {
  margin: 0 0 0.4rem;
}
.time {
  display: flex;
  gap: 2px;
}
.time > div {
  flex-basis: 0;
  min-width: 4.2rem;
  display: grid;
  gap: 0.2rem;
}
.stroke {
  height: 0.7rem;
  background: var(--thread);
}
.least .stroke {
  background: repeating-linear-gradient(90deg, var(--thread) 0 4px, transparent 4px 8px);
}
.quiet .stroke {
  background: none;
  border-bottom: 3px solid var(--routine);
}
.pause .stroke {
  background: none;
  border-bottom: 3px dotted var(--routine);
}
</style>
