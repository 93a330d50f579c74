<script setup lang="ts">
import type { ReplayReport } from '@causalis/contract';
import { clockText, shareText } from '@causalis/words';
import { computed } from 'vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';

/** The remembered day with other settings: a bar of time with what stays, comes and goes, each in a shape of its own. */
const props = defineProps<{ report: ReplayReport | undefined; busy: boolean }>();
const { zone } = useSite();
const t = texts.cameras;
const shapes = { stay: '●', come: '+', go: '×' } as const;
const range = computed(() => {
  const all = props.report ? [...props.report.stay, ...props.report.come, ...props.report.go] : [];
  const first = Math.min(...all.map((one) => Date.parse(one.first)));
  const last = Math.max(...all.map((one) => Date.parse(one.last)));
  return { first, last, long: Math.max(60_000, last - first) };
});
const marks = computed(() =>
  (['stay', 'come', 'go'] as const).flatMap((kind) =>
    (props.report?.[kind] ?? []).map((one) => ({
      kind,
      one,
      left: ((Date.parse(one.first) - range.value.first) / range.value.long) * 100,
    })),
  ),
);
const newest = computed(() =>
  [...marks.value]
    .filter(({ kind }) => kind !== 'stay')
    .sort((a, b) => b.one.first.localeCompare(a.one.first))
    .slice(0, 6),
);
</script>

<template>
  <section class="replay" :aria-busy="busy" aria-live="polite">
    <h2>{{ t.replay }}</h2>
    <p v-if="!report || report.pictures === 0" class="soft">{{ t.replayNone }}</p>
    <template v-else>
      <p>
        <strong>{{ t.replayed(report.counts.stay, report.counts.come, report.counts.go) }}</strong>
        <span class="soft small"> · {{ report.pictures }} pictures</span>
      </p>
      <div
        v-if="marks.length > 0"
        class="bar"
        role="img"
        :aria-label="t.replayed(report.counts.stay, report.counts.come, report.counts.go)"
      >
        <span v-for="(mark, i) in marks" :key="i" :class="mark.kind" :style="{ left: `${mark.left}%` }">{{ shapes[mark.kind] }}</span>
      </div>
      <ul v-if="newest.length > 0">
        <li v-for="({ kind, one }, i) in newest" :key="i" class="small">
          <span :class="kind">{{ shapes[kind] }}</span> {{ clockText(one.first, zone) }} {{ one.zone }}, {{ shareText(one.size) }} of the
          picture, level {{ shareText(one.level) }}
        </li>
      </ul>
    </template>
    <p class="soft small">{{ t.differenceLater }}</p>
  </section>
</template>

<style scoped>
h2,
p {
  margin: 0;
}
.replay {
  display: grid;
  gap: 0.45rem;
}
.bar {
  position: relative;
  height: 1.6rem;
  border-bottom: 2px solid var(--line);
  margin: 0 0.5rem;
}
.bar span {
  position: absolute;
  bottom: -0.1rem;
  transform: translateX(-50%);
  font-size: 0.8rem;
}
.stay {
  color: var(--soft);
}
.come {
  color: var(--thread);
  font-weight: 700;
}
.go {
  color: var(--urgent);
  font-weight: 700;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
</style>
