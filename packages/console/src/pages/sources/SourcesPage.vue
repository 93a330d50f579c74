<script setup lang="ts">
import { dateText, refusedText } from '@causalis/words';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import AccountList from './AccountList.vue';
import HookItem from './HookItem.vue';

/** What reports beside the cameras' pictures, and what of it was refused. */
const { params, zone, may } = useSite();
const mayConfigure = may('configure');
const sources = useReading(() => client.call('sources', { params }));
const refused = useReading(() => client.call('refused', { params, query: { limit: 20 } }));
const kinds = ['input.changed', 'hook.called', 'camera.reported'];
useStream((message) => {
  if ((message.kind === 'event' && kinds.includes(message.event.kind)) || message.kind === 'revision' || message.kind === 'reset')
    sources.soon();
});
async function again() {
  await Promise.all([sources.again(), refused.again()]);
}
</script>

<template>
  <div class="sources">
    <header class="tabs">
      <h1>{{ texts.sources.title }}</h1>
      <RouterLink to="/cameras">{{ texts.places.cameras }}</RouterLink>
    </header>
    <p v-if="!mayConfigure" class="soft">{{ texts.sources.onlyIntegrator }}</p>
    <p v-else-if="sources.error.value" role="alert" class="failed">{{ sources.error.value }}</p>
    <template v-if="sources.value.value">
      <section>
        <h2>{{ texts.sources.inputs }}</h2>
        <p v-if="sources.value.value.inputs.length === 0" class="soft">{{ texts.sources.noInputs }}</p>
        <ul>
          <li v-for="input in sources.value.value.inputs" :key="input.key" class="line">
            <strong>{{ input.key }}</strong>
            <span class="reading">{{ input.reading ?? '–' }}</span>
            <span class="small soft"
              >{{ input.last ? `${texts.sources.since} ${dateText(input.last, zone)}` : texts.sources.never }} · {{ input.from }}</span
            >
          </li>
        </ul>
      </section>
      <AccountList :accounts="sources.value.value.accounts" @changed="again" />
      <section>
        <h2>{{ texts.sources.hooks }}</h2>
        <p class="small soft">{{ texts.sources.hooksHow }}</p>
        <p v-if="sources.value.value.hooks.length === 0" class="soft">{{ texts.sources.noHooks }}</p>
        <ul>
          <HookItem v-for="hook in sources.value.value.hooks" :key="hook.key" :hook="hook" @changed="again" />
        </ul>
      </section>
      <section>
        <h2>{{ texts.sources.refused }}</h2>
        <p class="small soft">{{ texts.sources.refusedHow }}</p>
        <p v-if="refused.value.value?.items.length === 0" class="soft">{{ texts.sources.noneRefused }}</p>
        <ul>
          <li v-for="(one, i) in refused.value.value?.items ?? []" :key="i" class="line">
            <time :datetime="one.at" class="small">{{ dateText(one.at, zone) }}</time>
            <strong>{{ one.source }}</strong>
            <span>{{ refusedText(one.reason) }}</span>
            <span class="small soft">{{ texts.sources.by }} {{ one.address }}</span>
          </li>
        </ul>
      </section>
    </template>
  </div>
</template>

<style scoped>
.sources {
  display: grid;
  gap: 2rem;
  max-width: 56rem;
}
ul {
  list-style: none;
  margin: 0.4rem 0 0;
  padding: 0;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 1rem;
  align-items: baseline;
  padding: 0.45rem 0;
  border-bottom: 1px solid var(--line);
  font-variant-numeric: tabular-nums;
}
.failed {
  color: var(--urgent);
}
</style>
