<script setup lang="ts">
import type { EventRow } from '@causalis/contract';
import { clockText, dateText, eventText, heldText } from '@causalis/words';
import { useSession } from '../use/session.js';
import Knot from './Knot.vue';
import Thumb from './Thumb.vue';

defineProps<{ events: readonly EventRow[] }>();
const { site } = useSession();
const zone = () => site.value?.timezone ?? 'UTC';
const fired = (event: EventRow) => event.verdicts.filter(({ verdict }) => verdict === 'fired');
</script>

<template>
  <ol class="events">
    <li v-for="event in events" :key="event.id">
      <RouterLink :to="`/ledger/events/${event.id}`" class="row" :class="{ bare: !event.still }">
        <Thumb v-if="event.still" class="picture" :event="event" :alt="`Picture: ${eventText(event, event.title)}`" drawn fit />
        <span class="what">
          <span class="title">{{ eventText(event, event.title) }}</span>
          <time class="small soft" :datetime="event.time" :title="`${dateText(event.time, zone())} (${zone()})`">{{
            clockText(event.time, zone())
          }}</time>
          <span v-for="verdict in fired(event)" :key="verdict.rule" class="verdict small"><Knot kind="fired" />{{ verdict.title }}</span>
          <span v-if="fired(event).length === 0 && event.verdicts[0]" class="verdict small soft"
            ><Knot kind="held" />{{ heldText(event.verdicts[0], zone()) }}</span
          >
        </span>
      </RouterLink>
    </li>
  </ol>
</template>

<style scoped>
.events {
  list-style: none;
  margin: 0;
  padding: 0;
}
.row {
  display: grid;
  grid-template-columns: 7rem 1fr;
  gap: 0.9rem;
  padding: 0.7rem 0;
  border-bottom: 1px solid var(--line);
  color: inherit;
  text-decoration: none;
}
.row.bare {
  grid-template-columns: 1fr;
}
.row.bare .title {
  font-weight: 400;
}
.row:hover .title {
  color: var(--thread);
  text-decoration: underline;
}
.what {
  display: flex;
  flex-direction: column;
  gap: 0.1rem;
  min-width: 0;
}
.title {
  font-weight: 540;
  line-height: 1.3;
  text-wrap: balance;
}
.verdict {
  display: flex;
  align-items: flex-start;
  gap: 0.35rem;
  line-height: 1.35;
}
.verdict :deep(svg) {
  width: 13px;
  height: 13px;
  margin-top: 0.15rem;
  flex: none;
}
</style>
