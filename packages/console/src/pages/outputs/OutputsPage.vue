<script setup lang="ts">
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import OutputItem from './OutputItem.vue';

const { params } = useSite();
const outputs = useReading(() => client.call('outputs', { params }));
useStream((message) => {
  if (message.kind === 'delivery' || message.kind === 'firing' || message.kind === 'revision' || message.kind === 'reset') outputs.soon();
});
</script>

<template>
  <div class="outputs" :aria-busy="outputs.loading.value">
    <h1>{{ texts.outputs.title }}</h1>
    <p v-if="outputs.error.value" role="alert">{{ outputs.error.value }}</p>
    <p v-else-if="outputs.value.value?.items.length === 0">
      {{ texts.outputs.none }} <span class="soft">{{ texts.outputs.noneHow }}</span>
    </p>
    <div v-else-if="!outputs.value.value" class="placeholder"></div>
    <ul>
      <OutputItem v-for="output in outputs.value.value?.items ?? []" :key="output.key" :output="output" @changed="outputs.again()" />
    </ul>
  </div>
</template>

<style scoped>
.outputs {
  max-width: 50rem;
}
h1 + p {
  margin-top: 0.75rem;
}
ul {
  list-style: none;
  margin: 1rem 0 0;
  padding: 0;
}
.placeholder {
  height: 60vh;
}
</style>
