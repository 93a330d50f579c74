<script setup lang="ts">
import { dateText } from '@causalis/words';
import { ref } from 'vue';
import SureButton from '../../parts/SureButton.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import SiteTabs from './SiteTabs.vue';

const { params, zone, may } = useSite();
const mayConfigure = may('configure');
const revisions = useReading(() => client.call('revisions', { params, query: { limit: 100 } }));
useStream((message) => {
  if (message.kind === 'revision' || message.kind === 'reset') revisions.soon();
});
const { busy, failed, run } = useDoing();
const seeing = useDoing();
const shown = ref<{ number: number; text: string }>();
const see = (number: number) =>
  seeing.run('see', async () => {
    shown.value = { number, text: await (await client.raw('revision', { params: { ...params, number: String(number) } })).text() };
  });
const restore = (number: number) =>
  run('restore', async () => {
    const newest = revisions.value.value?.items[0]?.number ?? 0;
    await client.call('restore', { params: { ...params, number: String(number) }, headers: { 'if-match': `"${newest}"` } });
    await revisions.again();
  });
</script>

<template>
  <div class="revisions">
    <SiteTabs />
    <p v-if="failed || seeing.failed.value" class="failed" role="alert">{{ failed || seeing.failed.value }}</p>
    <p v-if="revisions.error.value" role="alert">{{ revisions.error.value }}</p>
    <table class="list">
      <thead>
        <tr>
          <th scope="col">Revision</th>
          <th scope="col">When</th>
          <th scope="col">Who</th>
          <th scope="col">Changed</th>
          <th scope="col"><span class="visually-hidden">Do</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(revision, i) in revisions.value.value?.items ?? []" :key="revision.number">
          <td class="when">{{ revision.number }}<span v-if="i === 0" class="small well">{{ texts.site.inForce }}</span></td>
          <td class="when">{{ dateText(revision.at, zone) }}</td>
          <td>{{ revision.by }}</td>
          <td class="changed">
            {{ revision.changed.slice(0, 6).join(', ')
            }}<template v-if="revision.changed.length > 6"> … {{ revision.changed.length }}</template>
          </td>
          <td class="do">
            <button
              type="button"
              class="plain-button small"
              :aria-label="`${texts.site.see}: ${revision.number}`"
              @click="see(revision.number)"
            >
              {{ texts.site.see }}
            </button>
            <SureButton
              v-if="i > 0 && mayConfigure"
              :label="texts.site.restore"
              :about="`${texts.site.restore} ${revision.number}`"
              :aria-disabled="busy !== ''"
              @sure="restore(revision.number)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <section v-if="shown" class="shown">
      <h2>
        Revision {{ shown.number }} <button type="button" class="plain-button small" @click="shown = undefined">{{ texts.close }}</button>
      </h2>
      <textarea readonly rows="24" :aria-label="`Revision ${shown.number}`" :value="shown.text"></textarea>
    </section>
  </div>
</template>

<style scoped>
.revisions {
  max-width: 64rem;
}
.when {
  white-space: nowrap;
}
.changed {
  overflow-wrap: anywhere;
}
.do {
  display: flex;
  gap: 0.4rem;
  flex-wrap: wrap;
}
.well {
  color: var(--well);
  margin-left: 0.5em;
}
.do button {
  white-space: nowrap;
}
.failed {
  color: var(--urgent);
}
.shown {
  margin-top: 1.5rem;
}
textarea {
  width: 100%;
  margin-top: 0.5rem;
  font-family: ui-monospace, "DejaVu Sans Mono", monospace;
  font-size: 0.8125rem;
  color: var(--ink);
  border: 1px solid var(--line);
  background: var(--sheet);
  padding: 0.8rem;
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
