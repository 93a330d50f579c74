<script setup lang="ts">
import { NSelect } from 'naive-ui';
import { computed, ref } from 'vue';
import { texts } from '../texts.js';
import { useReading } from '../use/read.js';
import { client, sentenceOf, useSession } from '../use/session.js';
import { useStream } from '../use/stream.js';

const { site, mayOperate } = useSession();
const params = { site: site.value?.key ?? '' };
const mode = useReading(() => client.call('mode', { params }));
const failed = ref('');
useStream((message) => {
  if (message.kind === 'mode' || message.kind === 'reset' || message.kind === 'revision') mode.soon();
});
const options = computed(() => (mode.value.value?.modes ?? []).map((value) => ({ label: value, value })));
async function choose(wanted: string) {
  try {
    await client.call('setMode', { params, body: { mode: wanted } });
    failed.value = '';
    await mode.again();
  } catch (error) {
    failed.value = sentenceOf(error);
  }
}
</script>

<template>
  <label class="mode">
    <span class="soft small">{{ texts.mode }}</span>
    <NSelect
      class="choice"
      size="small"
      :value="mode.value.value?.mode"
      :options="options"
      :disabled="!mayOperate"
      :input-props="{ 'aria-label': texts.mode }"
      @update:value="choose"
    />
  </label>
  <span v-if="failed" class="small failed" role="alert">{{ failed }}</span>
</template>

<style scoped>
.mode {
  display: flex;
  align-items: center;
  gap: 0.5rem;
}
.choice {
  width: 9.5rem;
}
.failed {
  color: var(--urgent);
}
@media (max-width: 700px) {
  .choice {
    width: 7.25rem;
  }
}
</style>
