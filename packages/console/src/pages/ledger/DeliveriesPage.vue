<script setup lang="ts">
import { type Delivery, type DeliveryState, deliveryStates } from '@causalis/contract';
import { computed, reactive, ref, shallowRef, watch } from 'vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import DeliveryRow from './DeliveryRow.vue';
import LedgerTabs from './LedgerTabs.vue';

const { params, may } = useSite();
const mayOperate = may('operate');
const pageLength = 40;
const wanted = reactive({ state: '', rule: '', output: '' });
const query = () => ({
  limit: pageLength,
  ...(wanted.state ? { state: wanted.state as DeliveryState } : {}),
  ...(wanted.rule ? { rule: wanted.rule } : {}),
  ...(wanted.output ? { output: wanted.output } : {}),
});
const newest = useReading(() => client.call('deliveries', { params, query: query() }));
const rules = useReading(() => client.call('rules', { params }));
const outputs = useReading(() => client.call('outputs', { params }));
const older = shallowRef<Delivery[]>([]);
const next = ref<string>();
const { busy, failed, run } = useDoing();
const deliveries = computed(() => [...(newest.value.value?.items ?? []), ...older.value]);
const more = computed(() => (older.value.length > 0 ? next.value : newest.value.value?.next));
const filters = computed(() => [
  { name: 'state' as const, label: texts.deliveries.state, values: [...deliveryStates] as string[] },
  { name: 'rule' as const, label: texts.deliveries.rule, values: (rules.value.value?.items ?? []).map(({ key }) => key) },
  {
    name: 'output' as const,
    label: texts.deliveries.output,
    values: ['media', ...(outputs.value.value?.items ?? []).map(({ key }) => key)],
  },
]);
watch(wanted, () => {
  older.value = [];
  void newest.again();
});
useStream((message) => {
  if (message.kind === 'delivery' || message.kind === 'firing' || message.kind === 'reset') newest.soon();
});
const showOlder = () =>
  run('older', async () => {
    const page = await client.call('deliveries', { params, query: { ...query(), before: more.value } });
    older.value = [...older.value, ...page.items];
    next.value = page.next;
  });
async function does(name: 'retry' | 'cancel' | 'sendAgain', id: string) {
  await run(name, () => client.call(name, { params: { ...params, id } }));
  await newest.again();
}
</script>

<template>
  <div class="deliveries" :aria-busy="newest.loading.value">
    <LedgerTabs />
    <form class="filters" :aria-label="texts.deliveries.filters" @submit.prevent>
      <label v-for="filter in filters" :key="filter.name" class="field">
        {{ filter.label }}
        <select v-model="wanted[filter.name]">
          <option value="">{{ texts.deliveries.any }}</option>
          <option v-for="value in filter.values" :key="value" :value="value">{{ value }}</option>
        </select>
      </label>
    </form>
    <p v-if="failed || newest.error.value" class="failed" role="alert">{{ failed || newest.error.value }}</p>
    <p v-else-if="newest.value.value && deliveries.length === 0" class="soft">{{ texts.deliveries.none }}</p>
    <ol v-else>
      <DeliveryRow
        v-for="delivery in deliveries"
        :key="delivery.id"
        :delivery="delivery"
        :may="mayOperate"
        :busy="busy !== ''"
        @does="does"
      />
    </ol>
    <button v-if="more" type="button" class="plain-button" :aria-disabled="busy !== ''" @click="showOlder">{{ texts.ledger.more }}</button>
  </div>
</template>

<style scoped>
.deliveries {
  max-width: 68rem;
}
.filters {
  display: flex;
  gap: 0.5rem 1rem;
  flex-wrap: wrap;
}
ol {
  list-style: none;
  margin: 1rem 0;
  padding: 0;
}
.failed {
  color: var(--urgent);
  margin-top: 1rem;
}
</style>
