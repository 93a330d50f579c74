<script setup lang="ts">
import { dateText, ruleSentence } from '@causalis/words';
import { computed } from 'vue';
import { texts } from '../../texts.js';
import { useReading } from '../../use/read.js';
import { client, useSession } from '../../use/session.js';
import { useStream } from '../../use/stream.js';

const { site } = useSession();
const params = { site: site.value?.key ?? '' };
const zone = site.value?.timezone ?? 'UTC';
const rules = useReading(() => client.call('rules', { params }));
const cameras = useReading(() => client.call('cameras', { params }));
useStream((message) => {
  if (message.kind === 'firing' || message.kind === 'revision' || message.kind === 'reset') rules.soon();
});
const titles = computed(() => Object.fromEntries((cameras.value.value?.items ?? []).map(({ key, title }) => [key, title])));
</script>

<template>
  <div class="rules">
    <h1>{{ texts.rules.title }}</h1>
    <p v-if="rules.error.value" role="alert">{{ rules.error.value }}</p>
    <p v-else-if="rules.value.value?.items.length === 0">{{ texts.rules.none }} <span class="soft">{{ texts.rules.noneHow }}</span></p>
    <ol>
      <li
        v-for="{ key, rule, lastFired, lastEvent, firedLastDay } in rules.value.value?.items ?? []"
        :key="key"
        :class="{ off: !rule.active }"
      >
        <h2>
          {{ rule.title }} <span class="small" :class="rule.priority">{{ rule.priority }}</span>
          <span class="small state" :class="{ active: rule.active }">{{ rule.active ? texts.rules.active : texts.rules.off }}</span>
        </h2>
        <p class="sentence">
          <span v-for="(piece, i) in ruleSentence(rule, titles)" :key="i" :class="{ part: piece.part }">{{ piece.text }}</span>
        </p>
        <p class="small soft">
          <template v-if="lastFired"
            >{{ texts.rules.last }} <RouterLink :to="`/ledger/events/${lastEvent}`">{{ dateText(lastFired, zone) }}</RouterLink>,
            {{ texts.rules.day(firedLastDay) }}</template
          >
          <template v-else>{{ texts.rules.never }}</template>
        </p>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.rules {
  max-width: 48rem;
}
ol {
  list-style: none;
  margin: 1rem 0 0;
  padding: 0;
}
li {
  padding: 1.1rem 0;
  border-bottom: 1px solid var(--line);
  display: grid;
  gap: 0.4rem;
}
h1 + p {
  margin-top: 0.75rem;
}
.sentence {
  font-size: 1.125rem;
  line-height: 1.65;
}
.part {
  text-decoration: underline;
  text-decoration-color: var(--thread);
  text-decoration-thickness: 1.5px;
  text-underline-offset: 0.25em;
}
.off .sentence {
  color: var(--soft);
}
h2 span {
  font-weight: 400;
  margin-left: 0.6em;
}
.state {
  color: var(--soft);
}
.active {
  color: var(--well);
}
.urgent {
  color: var(--urgent);
}
.important {
  color: var(--important);
}
.routine {
  color: var(--routine);
}
</style>
