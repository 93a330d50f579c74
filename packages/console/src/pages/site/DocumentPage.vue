<script setup lang="ts">
import { ProblemError } from '@causalis/client';
import type { Finding, Preview } from '@causalis/contract';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, useTemplateRef } from 'vue';
import { onBeforeRouteLeave } from 'vue-router';
import FindingList from '../../parts/FindingList.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { client } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import { type DocumentEditor, openEditor } from './editor.js';
import PreviewList from './PreviewList.vue';
import SiteTabs from './SiteTabs.vue';

const { params, may } = useSite();
const mayConfigure = may('configure');
const { busy, failed, run } = useDoing();
const place = useTemplateRef<HTMLElement>('place');
let editor: DocumentEditor | undefined;
const dirty = ref(false);
const revision = ref(0);
const newer = ref(0);
const findings = shallowRef<Finding[]>();
const preview = shallowRef<Preview>();
const applied = ref('');

async function read() {
  const answer = await client.raw('document', { params, headers: { accept: 'application/yaml' } });
  revision.value = Number((answer.headers.get('etag') ?? '').replaceAll('"', ''));
  editor?.setText(await answer.text());
  editor?.show([]);
  dirty.value = false;
  newer.value = 0;
}
/** Any change by hand makes what was said of the text before worthless. */
function touched() {
  dirty.value = true;
  preview.value = undefined;
  findings.value = undefined;
  applied.value = '';
}
const text = () => editor?.text() ?? '';
function say(found: Finding[]) {
  findings.value = found;
  editor?.show(found);
}
/** What is refused with findings is shown in place; anything else is a sentence. */
async function asking(name: string, job: () => Promise<void>) {
  await run(name, async () => {
    try {
      await job();
    } catch (error) {
      if (!(error instanceof ProblemError) || !error.problem.findings) throw error;
      say(error.problem.findings);
    }
  });
}
const check = () => asking('check', async () => say((await client.call('check', { params, body: text() })).findings));
const look = () =>
  asking('preview', async () => {
    const seen = await client.call('preview', { params, body: text() });
    say(seen.findings);
    preview.value = seen;
  });
const apply = () =>
  asking('apply', async () => {
    const report = await client.call('apply', { params, body: text(), headers: { 'if-match': `"${revision.value}"` } });
    preview.value = undefined;
    await read();
    say(report.findings);
    applied.value = report.changed.length > 0 ? texts.site.applied(report.revision) : texts.site.nothing;
  });
const takeBack = () => run('revert', read);

useStream((message) => {
  if (message.kind !== 'revision' || message.revision <= revision.value || busy.value !== '') return;
  if (dirty.value) newer.value = message.revision;
  else void run('read', read);
});
const warn = (event: BeforeUnloadEvent) => {
  if (dirty.value) event.preventDefault();
};
onMounted(async () => {
  if (place.value) editor = openEditor(place.value, texts.site.editor, touched);
  window.addEventListener('beforeunload', warn);
  await run('read', read);
});
onBeforeUnmount(() => {
  window.removeEventListener('beforeunload', warn);
  editor?.destroy();
});
onBeforeRouteLeave(() => !dirty.value || window.confirm(texts.site.leave));
const sound = computed(() => findings.value?.length === 0);
</script>

<template>
  <div>
    <SiteTabs />
    <div class="bar">
      <span class="soft small">revision {{ revision }}</span>
      <button type="button" class="plain-button" :aria-disabled="busy !== ''" @click="check">{{ texts.site.check }}</button>
      <button type="button" class="plain-button" :disabled="!dirty" :aria-disabled="busy !== ''" @click="look">
        {{ texts.site.preview }}
      </button>
      <button type="button" class="primary-button" :disabled="!dirty || !mayConfigure" :aria-disabled="busy !== ''" @click="apply">
        {{ texts.site.apply }}
      </button>
      <button v-if="dirty" type="button" class="plain-button" :aria-disabled="busy !== ''" @click="takeBack">
        {{ texts.site.revert }}
      </button>
      <span v-if="applied" class="well" role="status">{{ applied }}</span>
    </div>
    <p v-if="newer" class="stale" role="alert">{{ texts.site.stale(newer) }}</p>
    <p v-if="failed" class="failed" role="alert">{{ failed }}</p>
    <div class="both">
      <div ref="place" class="editor"></div>
      <aside v-if="findings || preview" aria-live="polite">
        <p v-if="sound" class="well">{{ texts.site.sound }}</p>
        <FindingList v-else-if="findings" :findings="findings" with-path @go="(finding) => editor?.goTo(finding.place?.line ?? 1)" />
        <PreviewList v-if="preview" :preview="preview" />
      </aside>
    </div>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  gap: 0.6rem;
  align-items: center;
  flex-wrap: wrap;
  margin-bottom: 0.75rem;
}
.both {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 1.5rem;
}
.both:has(aside) {
  grid-template-columns: minmax(0, 1.6fr) minmax(0, 1fr);
}
.editor {
  height: calc(100vh - 13rem);
  min-height: 20rem;
}
aside {
  display: grid;
  gap: 1rem;
  align-content: start;
}
.well {
  color: var(--well);
}
.failed {
  color: var(--urgent);
}
.stale {
  color: var(--important);
  margin-bottom: 0.5rem;
}
@media (max-width: 900px) {
  .both:has(aside) {
    grid-template-columns: minmax(0, 1fr);
  }
  .both aside {
    order: -1;
  }
}
</style>
