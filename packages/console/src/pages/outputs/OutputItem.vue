<script setup lang="ts">
import type { Delivery, LightValue, OutputReport } from '@causalis/contract';
import { attemptText, dateText, lightText, outputKindText } from '@causalis/words';
import { computed, shallowRef } from 'vue';
import Knot from '../../parts/Knot.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { client } from '../../use/session.js';
import TestSteps from './TestSteps.vue';

/** One output: where it goes, how it does, its test, and for a light its switch. */
const props = defineProps<{ output: OutputReport }>();
const emit = defineEmits<{ changed: [] }>();
const { params, zone, may } = useSite();
const mayOperate = may('operate');
const { busy, failed, run } = useDoing();
const tested = shallowRef<Delivery>();
const itemParams = { ...params, key: props.output.key };
const trouble = computed(() => {
  const { lastFailed, lastDelivered } = props.output;
  return lastFailed && (!lastDelivered || lastFailed.created > lastDelivered) ? lastFailed : undefined;
});
const why = computed(() => {
  const last = trouble.value?.attempts.at(-1);
  return last ? attemptText(last) : undefined;
});
const health = computed(() => (trouble.value ? 'failed' : props.output.lastDelivered ? 'delivered' : 'open'));

async function test() {
  await run('test', async () => {
    tested.value = await client.call('testOutput', { params: itemParams, body: {} });
  });
  emit('changed');
}
async function set(value: LightValue) {
  await run('set', () => client.call('setOutput', { params: itemParams, body: value }));
  emit('changed');
}
</script>

<template>
  <li class="output" :data-output="output.key">
    <header>
      <Knot :kind="health" />
      <h2>{{ output.key }}</h2>
      <span class="soft small">{{ outputKindText(output.kind) }}, {{ output.goesTo }}</span>
      <span class="gap"></span>
      <span v-if="output.shows" class="shows"
        >{{ lightText(output.shows)
        }}<span v-if="output.confirmed === false" class="soft small"> {{ texts.outputs.unconfirmed }}</span></span
      >
    </header>
    <p v-if="trouble && why" class="trouble">
      {{ texts.outputs.lastFailed }} <RouterLink :to="`/ledger/events/${trouble.event}`">{{ dateText(trouble.created, zone) }}</RouterLink>:
      {{ why.what }}.
      <span class="soft">{{ why.mend }}</span>
    </p>
    <p class="small soft">
      <template v-if="output.lastDelivered">{{ texts.outputs.lastDelivered }} {{ dateText(output.lastDelivered, zone) }}</template>
      <template v-else>{{ texts.outputs.never }}</template>
      <template v-if="output.open > 0"> · {{ texts.outputs.open(output.open) }}</template>
      <template v-if="output.lastTest">
        · {{ texts.outputs.lastTest }} {{ dateText(output.lastTest.created, zone) }}: {{ output.lastTest.state }}</template
      >
    </p>
    <p v-if="output.usedBy.length > 0" class="small soft">{{ texts.outputs.usedBy }} {{ output.usedBy.join(', ') }}</p>
    <p v-else class="small soft">{{ texts.outputs.unused }}</p>
    <div v-if="mayOperate" class="do">
      <button
        type="button"
        class="plain-button small"
        :aria-disabled="busy !== ''"
        :aria-label="`${texts.outputs.test}: ${output.key}`"
        @click="test"
      >
        {{ busy === 'test' ? texts.outputs.testing : texts.outputs.test }}
      </button>
      <template v-if="output.carries === 'set'">
        <button
          type="button"
          class="plain-button small"
          :aria-disabled="busy !== ''"
          :aria-label="`${output.key} ${texts.outputs.on}`"
          @click="set({ power: true })"
        >
          {{ texts.outputs.on }}
        </button>
        <button
          type="button"
          class="plain-button small"
          :aria-disabled="busy !== ''"
          :aria-label="`${output.key} ${texts.outputs.off}`"
          @click="set({ power: false })"
        >
          {{ texts.outputs.off }}
        </button>
      </template>
    </div>
    <p v-if="failed" class="trouble" role="alert">{{ failed }}</p>
    <TestSteps v-if="tested" :delivery="tested" @close="tested = undefined" />
  </li>
</template>

<style scoped>
.output {
  padding: 1rem 0 1.1rem;
  border-bottom: 1px solid var(--line);
  display: grid;
  gap: 0.35rem;
}
header {
  display: flex;
  gap: 0.6rem;
  align-items: center;
  flex-wrap: wrap;
}
.gap {
  flex: 1;
}
.shows {
  font-weight: 560;
}
.trouble {
  color: var(--urgent);
}
.do {
  display: flex;
  gap: 0.5rem;
  margin-top: 0.3rem;
}
</style>
