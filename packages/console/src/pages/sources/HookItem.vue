<script setup lang="ts">
import type { HookReport } from '@causalis/contract';
import { dateText, refusedText } from '@causalis/words';
import { computed, ref } from 'vue';
import SureButton from '../../parts/SureButton.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { client } from '../../use/session.js';

/** One hook: its address, and the last call as it came, beside what was taken of it. */
const props = defineProps<{ hook: HookReport }>();
const emit = defineEmits<{ changed: [] }>();
const { params, zone } = useSite();
const { busy, failed, run } = useDoing();
const told = ref('');
const itemParams = { ...params, key: props.hook.key };
const last = computed(() => props.hook.lastCall);

async function issue() {
  await run('issue', async () => {
    told.value = (await client.call('issueHook', { params: itemParams })).address;
  });
  emit('changed');
}
async function revoke() {
  await run('revoke', () => client.call('revokeHook', { params: itemParams }));
  told.value = '';
  emit('changed');
}
</script>

<template>
  <li class="hook">
    <header>
      <strong>{{ hook.key }}</strong>
      <span class="small soft">{{
        hook.issued ? `${texts.sources.addressIssued} ${dateText(hook.issued, zone)}` : texts.sources.noAddress
      }}</span>
      <SureButton
        v-if="hook.issued"
        :label="texts.sources.renew"
        :about="`${texts.sources.renew}: ${hook.key}`"
        :busy="busy !== ''"
        @sure="issue"
      />
      <button v-else type="button" class="plain-button small" :aria-disabled="busy !== ''" @click="issue">
        {{ texts.sources.issueAddress }}
      </button>
      <SureButton
        v-if="hook.issued"
        :label="texts.sources.end"
        :about="`${texts.sources.end}: ${hook.key}`"
        :busy="busy !== ''"
        @sure="revoke"
      />
    </header>
    <p v-if="failed" role="alert" class="failed">{{ failed }}</p>
    <p v-if="told" role="status" class="told"><code>{{ told }}</code> {{ texts.sources.once }}</p>
    <template v-if="last">
      <p class="small">
        {{ texts.sources.lastCall }} {{ dateText(last.at, zone) }}: {{ last.method }}, {{ texts.sources.by }} {{ last.address }}.
        <span v-if="last.refused" class="failed">{{ texts.sources.wasRefused }} {{ refusedText(last.refused) }}</span>
        <span v-else>{{ texts.sources.took }} <code>{{ JSON.stringify(last.took) }}</code></span>
      </p>
      <pre v-if="last.body">{{ last.body }}</pre>
    </template>
    <p v-else class="small soft">{{ texts.sources.noCall }}</p>
  </li>
</template>

<style scoped>
.hook {
  display: grid;
  gap: 0.35rem;
  padding: 0.6rem 0;
  border-bottom: 1px solid var(--line);
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 1rem;
  align-items: baseline;
}
pre {
  margin: 0;
  padding: 0.5rem 0.7rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  font-size: 0.8125rem;
}
.told {
  overflow-wrap: anywhere;
}
.failed {
  color: var(--urgent);
}
</style>
