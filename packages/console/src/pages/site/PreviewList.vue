<script setup lang="ts">
import type { Preview } from '@causalis/contract';
import { watchingText } from '@causalis/words';
import { computed } from 'vue';
import { texts } from '../../texts.js';

/** What an apply would do: adds, changes, removals, consequences, new uses of secrets, each apart. */
const props = defineProps<{ preview: Preview }>();
const parts = computed(() =>
  [
    { title: texts.site.added, lines: props.preview.added },
    { title: texts.site.changed, lines: props.preview.changed.map(({ path, fields }) => `${path}: ${fields.join(', ')}`) },
    { title: texts.site.removed, lines: props.preview.removed },
    { title: texts.site.renamed, lines: props.preview.renamed.map(({ section, from, to }) => `${section}/${from} → ${to}`) },
    { title: texts.site.watching, lines: props.preview.watching.map(watchingText) },
    { title: texts.site.afresh, lines: props.preview.afresh },
    { title: texts.site.newAddresses, lines: props.preview.newAddresses },
    { title: texts.site.newUses, lines: props.preview.newUses },
  ].filter(({ lines }) => lines.length > 0),
);
</script>

<template>
  <section class="preview">
    <p v-if="parts.length === 0">{{ texts.site.nothing }}</p>
    <template v-for="part in parts" :key="part.title">
      <h2>{{ part.title }}</h2>
      <ul>
        <li v-for="line in part.lines" :key="line">
          <code>{{ line }}</code>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.preview {
  display: grid;
  gap: 0.3rem;
}
ul {
  margin: 0 0 0.6rem;
  padding-left: 1.1rem;
}
</style>
