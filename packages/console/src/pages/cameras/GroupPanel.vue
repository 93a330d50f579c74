<script setup lang="ts">
import type { Preview, SiteDocument, Watching, WatchingInForce } from '@causalis/contract';
import { watchingText } from '@causalis/words';
import { computed, shallowRef, watch } from 'vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { client, sentenceOf } from '../../use/session.js';
import ValuesPanel from './ValuesPanel.vue';

/** The values that a camera's group shares, and what a change of them does to every camera of it before it is saved. */
const props = defineProps<{ group: string; revision: string; inForce: readonly WatchingInForce[]; disabled: boolean }>();
const emit = defineEmits<{ saved: []; dirty: [dirty: boolean] }>();
const t = texts.cameras.shared;
const { params } = useSite();
const { busy, failed, run } = useDoing();
const site = shallowRef<SiteDocument>();
const tag = shallowRef('');
const watching = shallowRef<Watching>({});
const preview = shallowRef<Preview>();
const told = shallowRef('');

const item = computed(() => site.value?.groups[props.group]);
const members = computed(() => Object.values(site.value?.cameras ?? {}).filter(({ group }) => group === props.group).length);
const dirty = computed(() => item.value !== undefined && JSON.stringify(watching.value) !== JSON.stringify(item.value.watching));
watch(dirty, (now) => emit('dirty', now));
/** What holds where the group says nothing. */
const usual = computed(() => props.inForce.filter(({ from }) => from === 'default'));
const lines = computed(() => preview.value?.watching.map(watchingText) ?? []);

async function load() {
  const answer = await client.raw('document', { params });
  tag.value = answer.headers.get('etag') ?? '';
  site.value = (await answer.json()) as SiteDocument;
}
async function read() {
  await load();
  watching.value = item.value?.watching ?? {};
  await tryOut();
}
let asked = 0;
/** What the values do that are being tried; an answer that another has overtaken is left out. */
async function tryOut() {
  const mine = ++asked;
  preview.value = undefined;
  if (!site.value || !item.value || !dirty.value) return;
  const groups = { ...site.value.groups, [props.group]: { ...item.value, watching: watching.value } };
  try {
    const found = await client.call('preview', { params, body: JSON.stringify({ ...site.value, groups }) });
    if (mine === asked) preview.value = found;
  } catch (error) {
    if (mine === asked) failed.value = sentenceOf(error);
  }
}
/** A value is taken at once, whatever else is being done. */
function change(next: Watching) {
  told.value = '';
  failed.value = '';
  watching.value = next;
  void tryOut();
}
const save = () =>
  run('save', async () => {
    const { revision } = await client.call('putItem', {
      params: { ...params, section: 'groups', key: props.group },
      body: { ...item.value, watching: watching.value },
      headers: { 'if-match': tag.value },
    });
    told.value = texts.cameras.savedAs(revision);
    await read();
    emit('saved');
  });
/** Another revision is in force: what is being changed stays, unless the group itself was changed. */
const follow = () =>
  run('read', async () => {
    const before = JSON.stringify(item.value?.watching);
    await load();
    if (JSON.stringify(item.value?.watching) !== before) watching.value = item.value?.watching ?? {};
    await tryOut();
  });
watch(() => props.revision, follow);
void run('read', read);
</script>

<template>
  <details v-if="item" class="group">
    <summary>{{ t.title(group, members) }}</summary>
    <p class="soft small">{{ t.what }}</p>
    <ValuesPanel :watching="watching" :in-force="usual" :disabled="disabled" of="group" @change="change" />
    <div v-if="preview" aria-live="polite">
      <h3>{{ t.where }}</h3>
      <p v-if="lines.length === 0" class="soft">{{ t.nowhere }}</p>
      <ul v-else>
        <li v-for="line in lines" :key="line">{{ line }}</li>
      </ul>
    </div>
    <p v-if="failed" class="failed" role="alert">{{ failed }}</p>
    <p v-if="told" class="well small" role="status">{{ told }}</p>
    <div class="row">
      <button v-if="dirty" type="button" class="plain-button" @click="run('read', read)">{{ texts.cameras.takeBack }}</button>
      <button type="button" class="primary-button" :disabled="!dirty || disabled" :aria-disabled="busy !== ''" @click="save">
        {{ t.save(members) }}
      </button>
    </div>
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
  font-weight: 620;
}
.row {
  display: flex;
  gap: 0.7rem;
  margin-top: 0.6rem;
}
ul {
  margin: 0;
  padding-left: 1.1rem;
}
h3 {
  font-size: 0.8125rem;
  color: var(--soft);
  margin: 0.6rem 0 0.2rem;
}
.failed {
  color: var(--urgent);
}
.well {
  color: var(--well);
}
</style>
