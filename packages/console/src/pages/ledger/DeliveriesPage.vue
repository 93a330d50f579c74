<script setup lang="ts">
import type { Delivery } from '@causalis/contract';
import { attemptText, clockText, dateText, deliveryText } from '@causalis/words';
import { computed, ref, shallowRef } from 'vue';
import { deliveryKnots, isRetryable } from '../../parts/deliveries.js';
import Knot from '../../parts/Knot.vue';
import { texts } from '../../texts.js';
import { useReading } from '../../use/read.js';
import { client, sentenceOf, useSession } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import LedgerTabs from './LedgerTabs.vue';

const { site, mayOperate } = useSession();
const params = { site: site.value?.key ?? '' };
const zone = site.value?.timezone ?? 'UTC';
const newest = useReading(() => client.call('deliveries', { params, query: { limit: 40 } }));
const older = shallowRef<Delivery[]>([]);
const next = ref<string>();
const failed = ref('');
const deliveries = computed(() => [...(newest.value.value?.items ?? []), ...older.value]);
const more = computed(() => (older.value.length > 0 ? next.value : newest.value.value?.next));
useStream((message) => {
  if (message.kind === 'delivery' || message.kind === 'firing' || message.kind === 'reset') newest.soon();
});
async function showOlder() {
  const page = await client.call('deliveries', { params, query: { limit: 40, before: more.value } });
  older.value = [...older.value, ...page.items];
  next.value = page.next;
}
async function retry(id: string) {
  try {
    await client.call('retry', { params: { ...params, id } });
    failed.value = '';
  } catch (error) {
    failed.value = sentenceOf(error);
  }
  await newest.again();
}
const retryable = ({ state }: Delivery) => mayOperate.value && isRetryable(state);
const lastSaid = (delivery: Delivery) => {
  const last = delivery.attempts.at(-1);
  return last && delivery.state !== 'delivered' ? attemptText(last).what : '';
};
</script>

<template>
  <div>
    <LedgerTabs />
    <p v-if="failed" class="failed" role="alert">{{ failed }}</p>
    <p v-if="newest.error.value" role="alert">{{ newest.error.value }}</p>
    <p v-else-if="newest.value.value && deliveries.length === 0" class="soft">{{ texts.ledger.none }}</p>
    <table v-else>
      <thead>
        <tr>
          <th scope="col">Created</th>
          <th scope="col">State</th>
          <th scope="col">What</th>
          <th scope="col">Rule</th>
          <th scope="col">Attempts</th>
          <th scope="col"><span class="visually-hidden">Do</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="delivery in deliveries" :key="delivery.id">
          <td>
            <time :datetime="delivery.created" :title="`${dateText(delivery.created, zone)} (${zone})`">{{
              clockText(delivery.created, zone)
            }}</time>
          </td>
          <td>
            <span class="state" :class="delivery.state"><Knot :kind="deliveryKnots[delivery.state]" />{{ delivery.state }}</span>
          </td>
          <td>
            {{ deliveryText(delivery) }}<span v-if="lastSaid(delivery)" class="small soft said">{{ lastSaid(delivery) }}</span>
          </td>
          <td>
            <RouterLink :to="`/ledger/events/${delivery.event}`">{{ delivery.rule }}</RouterLink>
            <span class="soft action">{{ delivery.action }}</span>
          </td>
          <td class="number">{{ delivery.attempts.length }}</td>
          <td>
            <button v-if="retryable(delivery)" type="button" class="plain-button small" @click="retry(delivery.id)">
              {{ texts.chain.retry }}
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <button v-if="more" type="button" class="plain-button more" @click="showOlder">{{ texts.ledger.more }}</button>
  </div>
</template>

<style scoped>
table {
  width: 100%;
  max-width: 68rem;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 560;
  font-size: 0.8125rem;
  color: var(--soft);
}
th,
td {
  padding: 0.5rem 1rem 0.5rem 0;
  border-bottom: 1px solid var(--line);
  vertical-align: top;
}
.state {
  display: flex;
  gap: 0.4rem;
  align-items: center;
}
.state.delivered {
  color: var(--well);
}
.state.failed,
.state.expired,
.failed {
  color: var(--urgent);
}
.state.retrying {
  color: var(--important);
}
.said {
  display: block;
}
.action {
  margin-left: 0.4em;
}
.more {
  margin-top: 1rem;
}
@media (max-width: 700px) {
  thead {
    display: none;
  }
  tr {
    display: grid;
    grid-template-columns: auto 1fr;
    border-bottom: 1px solid var(--line);
    padding: 0.5rem 0;
  }
  td {
    border: 0;
    padding: 0.1rem 1rem 0.1rem 0;
  }
  td:nth-child(3),
  td:nth-child(4) {
    grid-column: 1 / -1;
  }
  .number {
    display: none;
  }
}
</style>
