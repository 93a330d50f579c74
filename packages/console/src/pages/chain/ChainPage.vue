<script setup lang="ts">
import type { Chain, EventKind, Firing, Verdict } from '@causalis/contract';
import { clockText, dateText, eventText, guardText, heldText, kindText, shareText } from '@causalis/words';
import { computed, ref } from 'vue';
import Thumb from '../../parts/Thumb.vue';
import { texts } from '../../texts.js';
import { useReading } from '../../use/read.js';
import { client, sentenceOf, useSession } from '../../use/session.js';
import { useStream } from '../../use/stream.js';
import FiringStrands from './FiringStrands.vue';
import { countDeliveries } from './scale.js';
import ThreadStep from './ThreadStep.vue';

const props = defineProps<{ id: string }>();
const { site, mayOperate } = useSession();
const reading = useReading(() => client.call('chain', { params: { site: site.value?.key ?? '', id: props.id } }));
const failed = ref('');
useStream((message) => {
  const about = message.kind === 'firing' ? message.firing.event : message.kind === 'delivery' ? message.delivery.event : undefined;
  if (
    about === props.id ||
    message.kind === 'reset' ||
    (message.kind === 'event' && message.event.span === reading.value.value?.event.span)
  )
    reading.soon();
});

const chain = computed(() => reading.value.value);
const zone = computed(() => chain.value?.site.timezone ?? 'UTC');
const since = (iso: string) => Date.parse(iso) - Date.parse(chain.value?.event.time ?? iso);
const held = computed(() => chain.value?.verdicts.filter(({ verdict }) => verdict === 'held') ?? []);
const fired = computed(() =>
  (chain.value?.verdicts ?? []).flatMap((verdict): { verdict: Verdict; firing: Firing }[] => {
    const firing = chain.value?.firings.find(({ id }) => id === verdict.firing);
    return firing ? [{ verdict, firing }] : [];
  }),
);
function summary(of: Chain): string {
  const { all, delivered, open } = countDeliveries(of);
  if (fired.value.length === 0) return texts.chain.summary.none;
  if (all === 0) return texts.chain.noActions;
  const said = delivered === all ? texts.chain.summary.all(all) : texts.chain.summary.some(delivered, all);
  return open > 0 ? `${said}, ${texts.chain.summary.open(open)}` : said;
}
async function retry(id: string) {
  try {
    await client.call('retry', { params: { site: site.value?.key ?? '', id } });
    failed.value = '';
  } catch (error) {
    failed.value = sentenceOf(error);
  }
  await reading.again();
}
const print = () => window.print();
</script>

<template>
  <article class="chain" :aria-busy="reading.loading.value">
    <nav class="back"><RouterLink to="/ledger">{{ texts.chain.back }}</RouterLink></nav>
    <p v-if="reading.error.value && !chain" role="alert">{{ reading.error.value }}</p>
    <div v-else-if="!chain" class="placeholder"></div>
    <template v-else>
      <header class="head">
        <div>
          <h1>{{ eventText(chain.event, chain.title) }}</h1>
          <p class="soft">
            <time :datetime="chain.event.time" :title="zone">{{ dateText(chain.event.time, zone) }}</time>
            <span v-if="chain.event.test" class="test"> · {{ texts.chain.test }}</span>
            · {{ summary(chain) }}
          </p>
        </div>
        <RouterLink
          v-if="chain.event.source.section === 'cameras' && chain.event.data.box"
          class="no-print"
          :to="`/cameras/${chain.event.source.key}?event=${chain.event.id}`"
        >
          {{ texts.cameras.notWanted }}
        </RouterLink>
        <button type="button" class="plain-button no-print" @click="print">{{ texts.chain.print }}</button>
      </header>
      <p v-if="failed" class="failed" role="alert">{{ failed }}</p>

      <ol class="thread" :data-event="chain.event.id">
        <ThreadStep kind="step" :since="0">
          <strong>{{ texts.chain.happened }}</strong>
          <span class="soft">
            {{ clockText(chain.event.time, zone, true) }}, {{ kindText(chain.event.kind) }}, {{ chain.event.source.section }}/{{
              chain.event.source.key
            }}</span
          >
        </ThreadStep>
        <ThreadStep kind="step" :since="since(chain.event.seen)" :elapsed="since(chain.event.seen)">
          <strong>{{ texts.chain.seen }}</strong>
          <span v-if="chain.event.data.level !== undefined" class="soft">
            level {{ shareText(chain.event.data.level) }} over the threshold {{ shareText(chain.event.data.threshold ?? 0) }}</span
          >
          <span v-else-if="chain.event.data.who" class="soft">
            {{ chain.event.data.who
            }}<template v-if="chain.event.data.sure !== undefined">, {{ Math.round(chain.event.data.sure * 100) }}% sure</template></span
          >
          <span v-else-if="chain.event.data.reason" class="soft"> {{ chain.event.data.reason }}</span>
          <Thumb v-if="chain.event.still" class="still" :event="chain.event" :alt="texts.chain.still" drawn />
        </ThreadStep>
        <ThreadStep
          kind="step"
          :since="since(chain.event.accepted)"
          :elapsed="since(chain.event.accepted) - since(chain.event.seen)"
          :last="fired.length === 0 && held.length === 0"
        >
          <strong>{{ texts.chain.accepted }}</strong>
          <span class="soft"> {{ texts.chain.number(chain.event.number, chain.event.revision) }}</span>
          <p v-if="chain.verdicts.length === 0" class="soft">{{ texts.chain.noRule }}</p>
        </ThreadStep>
        <ThreadStep
          v-for="(verdict, i) in held"
          :key="verdict.rule"
          kind="held"
          :since="0"
          aside
          :last="fired.length === 0 && i === held.length - 1"
          :data-verdict="verdict.rule"
        >
          <span class="held"><strong>{{ texts.chain.held }}</strong> {{ verdict.title }}: {{ heldText(verdict, zone) }}</span>
        </ThreadStep>
        <ThreadStep
          v-for="({ verdict, firing }, i) in fired"
          :key="verdict.rule"
          kind="fired"
          :since="since(firing.at)"
          :elapsed="i === 0 ? since(firing.at) - since(chain.event.accepted) : 0"
          :last="i === fired.length - 1"
          :data-verdict="verdict.rule"
        >
          <p class="fired">
            <strong>{{ texts.chain.fired }}</strong> {{ firing.title }}
            <span class="priority" :class="firing.priority">{{ firing.priority }}</span>
            <span v-for="guard in verdict.guards" :key="guard.wanted" class="guard small">{{ guardText(guard) }}</span>
          </p>
          <FiringStrands :firing="firing" :zone="zone" :may-retry="mayOperate" @retry="retry" />
        </ThreadStep>
      </ol>

      <section v-if="chain.span.length > 0" class="span">
        <h2>{{ texts.chain.span }}</h2>
        <ul>
          <li v-for="other in chain.span" :key="other.id">
            <RouterLink :to="`/ledger/events/${other.id}`"
              >{{ kindText(other.kind as EventKind) }}, {{ clockText(other.time, zone) }}</RouterLink
            >
          </li>
        </ul>
      </section>
    </template>
  </article>
</template>

<style scoped>
.chain {
  max-width: 62rem;
}
.back {
  margin-bottom: 0.6rem;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: start;
  gap: 1rem;
  margin-bottom: 1.5rem;
}
.test {
  color: var(--important);
}
.failed {
  color: var(--urgent);
  margin-bottom: 1rem;
}
.thread {
  list-style: none;
  margin: 0;
  padding: 0;
}
.still {
  width: min(100%, 25rem);
  margin: 0.5rem 0 0.3rem;
}
.held {
  color: var(--held);
}
.fired {
  display: flex;
  flex-wrap: wrap;
  gap: 0 0.6rem;
  align-items: baseline;
}
.priority.urgent {
  color: var(--urgent);
}
.priority.important {
  color: var(--important);
}
.priority.routine {
  color: var(--routine);
}
.guard {
  color: var(--soft);
}
.guard::before {
  content: "✓ ";
  color: var(--well);
}
.span {
  margin-top: 1.5rem;
}
.span ul {
  margin: 0.3rem 0 0;
  padding-left: 1.1rem;
}
.placeholder {
  height: 60vh;
}
@media print {
  .no-print,
  .back {
    display: none;
  }
  .chain {
    max-width: none;
  }
}
</style>
