<script setup lang="ts">
import type { Finding } from '@causalis/contract';
import { findingText, pathText } from '@causalis/words';

/** What the check says, each with its place and its mend. Where there is a line, it can be gone to. */
defineProps<{ findings: readonly Finding[]; withPath?: boolean }>();
defineEmits<{ go: [finding: Finding] }>();
const shapes = { error: '✗', warning: '!', hint: '·' } as const;
</script>

<template>
  <ul class="findings">
    <li v-for="(finding, i) in findings" :key="i" :class="finding.level">
      <span class="shape" aria-hidden="true">{{ shapes[finding.level] }}</span>
      <span>
        <span class="visually-hidden">{{ finding.level }}: </span>
        <button v-if="finding.place" type="button" class="place small" @click="$emit('go', finding)">line {{ finding.place.line }}</button>
        <span v-else-if="withPath" class="soft small">{{ pathText(finding.path) }}: </span>
        {{ findingText(finding).what }}. <span class="soft">{{ findingText(finding).mend }}</span>
      </span>
    </li>
  </ul>
</template>

<style scoped>
.findings {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 0.35rem;
}
li {
  display: flex;
  gap: 0.6rem;
}
.shape {
  width: 1rem;
  text-align: center;
  font-weight: 620;
}
.error .shape {
  color: var(--urgent);
}
.warning .shape {
  color: var(--important);
}
.hint .shape {
  color: var(--routine);
}
.place {
  border: 0;
  background: none;
  color: var(--thread);
  text-decoration: underline;
  padding: 0;
  margin-right: 0.3em;
  cursor: pointer;
}
</style>
