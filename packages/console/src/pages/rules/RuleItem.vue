<script setup lang="ts">
import type { RuleReport, TrialReport } from '@causalis/contract';
import { countsText, dateText, ruleSentence } from '@causalis/words';
import { shallowRef } from 'vue';
import FindingList from '../../parts/FindingList.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { client } from '../../use/session.js';
import TrialPanel from './TrialPanel.vue';

/** One rule as a sentence, with what it did and what held it, its switch and its trial. */
const props = defineProps<{ row: RuleReport; titles: Readonly<Record<string, string>> }>();
const emit = defineEmits<{ changed: [] }>();
const { params, zone, may } = useSite();
const mayConfigure = may('configure');
const mayOperate = may('operate');
const { busy, failed, run } = useDoing();
const trial = shallowRef<TrialReport>();
const itemParams = { ...params, section: 'rules', key: props.row.key };

async function turn(active: boolean) {
  await run('switch', async () => {
    const answer = await client.raw('item', { params: itemParams });
    const headers = { 'if-match': answer.headers.get('etag') ?? '' };
    const rule = (await answer.json()) as Record<string, unknown>;
    await client.call('putItem', { params: itemParams, body: { ...rule, active }, headers });
  });
  emit('changed');
}
async function fire(dry: boolean, regardless = false) {
  await run(dry ? 'dry' : 'fire', async () => {
    trial.value = await client.call('tryRule', { params: { ...params, key: props.row.key }, body: { dry, regardless } });
  });
}
</script>

<template>
  <li class="rule" :class="{ off: !row.rule.active }" :data-rule="row.key">
    <header>
      <h2>{{ row.rule.title }}</h2>
      <span class="small" :class="row.rule.priority">{{ row.rule.priority }}</span>
      <button
        type="button"
        role="switch"
        class="switch small"
        :aria-checked="row.rule.active"
        :aria-label="`${row.rule.title}: ${row.rule.active ? texts.rules.active : texts.rules.off}`"
        :disabled="!mayConfigure"
        :aria-disabled="busy !== ''"
        @click="turn(!row.rule.active)"
      >
        <span class="slot"><span class="knob"></span></span>{{ row.rule.active ? texts.rules.active : texts.rules.off }}
      </button>
    </header>
    <p class="sentence">
      <span v-for="(piece, i) in ruleSentence(row.rule, titles)" :key="i" :class="{ part: piece.part }">{{ piece.text }}</span>
    </p>
    <FindingList v-if="row.findings.length > 0" :findings="row.findings" with-path />
    <dl class="small soft">
      <div>
        <dt>{{ texts.rules.day }}</dt>
        <dd>{{ countsText(row.lastDay) }}</dd>
      </div>
      <div>
        <dt>{{ texts.rules.week }}</dt>
        <dd>{{ countsText(row.lastWeek) }}</dd>
      </div>
      <div>
        <dt>{{ texts.rules.last }}</dt>
        <dd>
          <RouterLink v-if="row.lastFired" :to="`/ledger/events/${row.lastEvent}`">{{ dateText(row.lastFired, zone) }}</RouterLink>
          <template v-else>{{ texts.rules.never }}</template>
        </dd>
      </div>
    </dl>
    <div v-if="mayOperate" class="do">
      <button type="button" class="plain-button small" :aria-disabled="busy !== ''" @click="fire(true)">{{ texts.rules.dry }}</button>
      <button type="button" class="plain-button small" :aria-disabled="busy !== ''" @click="fire(false)">{{ texts.rules.fire }}</button>
    </div>
    <p v-if="failed" class="failed" role="alert">{{ failed }}</p>
    <TrialPanel
      v-if="trial"
      :trial="trial"
      :zone="zone"
      :busy="busy !== ''"
      @regardless="(dry: boolean) => fire(dry, true)"
      @close="trial = undefined"
    />
  </li>
</template>

<style scoped>
.rule {
  padding: 1.1rem 0 1.2rem;
  border-bottom: 1px solid var(--line);
  display: grid;
  gap: 0.5rem;
}
header {
  display: flex;
  gap: 0.8rem;
  align-items: baseline;
  flex-wrap: wrap;
}
.sentence {
  font-size: 1.125rem;
  line-height: 1.65;
}
.part {
  text-decoration: underline;
  text-decoration-color: var(--thread);
  text-decoration-thickness: 1.5px;
  text-underline-offset: 0.25em;
}
.off .sentence {
  color: var(--soft);
}
dl {
  margin: 0;
  display: grid;
  gap: 0.1rem;
}
dl div {
  display: flex;
  gap: 0.5rem;
}
dt {
  min-width: 7rem;
}
dd {
  margin: 0;
}
.do {
  display: flex;
  gap: 0.5rem;
  margin-top: 0.2rem;
}
.switch {
  display: inline-flex;
  gap: 0.5rem;
  align-items: center;
  border: 0;
  background: none;
  color: var(--soft);
  cursor: pointer;
  padding: 0.15rem 0;
  margin-left: auto;
}
.switch:disabled {
  cursor: default;
}
.slot {
  width: 2rem;
  height: 1.1rem;
  border: 1.5px solid var(--held);
  border-radius: 1rem;
  position: relative;
}
.knob {
  position: absolute;
  width: 0.7rem;
  height: 0.7rem;
  border-radius: 50%;
  border: 1.5px solid var(--held);
  left: 0.12rem;
  top: 0.1rem;
}
.switch[aria-checked="true"] {
  color: var(--well);
}
.switch[aria-checked="true"] .slot {
  border-color: var(--well);
}
.switch[aria-checked="true"] .knob {
  left: 1.02rem;
  border-color: var(--well);
  background: var(--well);
}
.failed {
  color: var(--urgent);
}
.urgent {
  color: var(--urgent);
}
.important {
  color: var(--important);
}
.routine {
  color: var(--routine);
}
</style>
