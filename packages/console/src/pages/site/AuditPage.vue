<script setup lang="ts">
import type { AuditLine } from '@causalis/contract';
import { dateText } from '@causalis/words';
import { computed, ref, shallowRef } from 'vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import SiteTabs from './SiteTabs.vue';

const { zone } = useSite();
const newest = useReading(() => client.call('audit', { query: { limit: 50 } }));
const older = shallowRef<AuditLine[]>([]);
const next = ref<string>();
const lines = computed(() => [...(newest.value.value?.items ?? []), ...older.value]);
const more = computed(() => (older.value.length > 0 ? next.value : newest.value.value?.next));
async function showOlder() {
  const page = await client.call('audit', { query: { limit: 50, before: more.value } });
  older.value = [...older.value, ...page.items];
  next.value = page.next;
}
/** What was changed, in short: fields of the detail, without their braces. */
const detailText = (detail: unknown): string =>
  Object.entries((detail ?? {}) as Record<string, unknown>)
    .map(([name, value]) => `${name} ${Array.isArray(value) ? value.join(', ') : String(value)}`)
    .join('; ');
</script>

<template>
  <div class="audit">
    <SiteTabs />
    <p v-if="newest.error.value" role="alert">{{ newest.error.value }}</p>
    <p v-else-if="newest.value.value && lines.length === 0" class="soft">{{ texts.site.noAudit }}</p>
    <table v-else class="list">
      <thead>
        <tr>
          <th scope="col">When</th>
          <th scope="col">Who</th>
          <th scope="col">From</th>
          <th scope="col">What</th>
          <th scope="col">Detail</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="line in lines" :key="line.id">
          <td class="when">{{ dateText(line.at, zone) }}</td>
          <td>{{ line.by }}</td>
          <td>{{ line.address }}</td>
          <td>{{ line.what }}</td>
          <td class="detail small">{{ detailText(line.detail) }}</td>
        </tr>
      </tbody>
    </table>
    <button v-if="more" type="button" class="plain-button more" @click="showOlder">{{ texts.ledger.more }}</button>
  </div>
</template>

<style scoped>
.audit {
  max-width: 70rem;
}
.when {
  white-space: nowrap;
}
.detail {
  overflow-wrap: anywhere;
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
    border-bottom: 1px solid var(--line);
    padding: 0.5rem 0;
  }
  table.list td {
    border: 0;
    padding: 0.1rem 0;
  }
}
</style>
