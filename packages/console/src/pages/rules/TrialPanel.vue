<script setup lang="ts">
import type { TrialReport } from '@causalis/contract';
import { guardText, heldText, skipText } from '@causalis/words';
import Knot from '../../parts/Knot.vue';
import { texts } from '../../texts.js';

/** What a trial of a rule would do, or has begun. */
defineProps<{ trial: TrialReport; zone: string; busy: boolean }>();
defineEmits<{ regardless: [dry: boolean]; close: [] }>();
</script>

<template>
  <section class="trial" role="status">
    <p class="head">
      <Knot :kind="trial.verdict.verdict" />
      <strong v-if="trial.verdict.verdict === 'held'">{{ texts.rules.wouldHold }}: {{ heldText(trial.verdict, zone) }}</strong>
      <strong v-else-if="trial.event">{{ texts.rules.fired }}</strong>
      <strong v-else>{{ texts.rules.wouldFire }}</strong>
      <RouterLink v-if="trial.event" :to="`/ledger/events/${trial.event}`">{{ texts.urgent.see }}</RouterLink>
      <span class="gap"></span>
      <button type="button" class="quiet small" @click="$emit('close')">{{ texts.close }}</button>
    </p>
    <ul v-if="trial.verdict.guards.length > 0" class="guards small">
      <li v-for="(guard, i) in trial.verdict.guards" :key="i">{{ guard.holds ? '✓' : '✗' }} {{ guardText(guard) }}</li>
    </ul>
    <ol v-if="trial.actions.length > 0" class="actions">
      <li v-for="action in trial.actions" :key="action.name">
        <strong>{{ action.name }}</strong>
        <span v-if="action.after.length > 0" class="soft small">{{ texts.chain.waits(action.after.join(', ')) }}</span>
        <span v-if="action.reason" class="soft">{{ skipText(action.reason) }}</span>
        <p v-for="line in action.does" :key="line">{{ line }}</p>
      </li>
    </ol>
    <p v-if="trial.verdict.verdict === 'held'" class="do">
      <button type="button" class="plain-button small" :aria-disabled="busy" @click="$emit('regardless', true)">
        {{ texts.rules.dryRegardless }}
      </button>
      <button type="button" class="plain-button small" :aria-disabled="busy" @click="$emit('regardless', false)">
        {{ texts.rules.fireRegardless }}
      </button>
    </p>
    <p v-else-if="!trial.event" class="soft small">{{ texts.rules.nothingSent }}</p>
  </section>
</template>

<style scoped>
.trial {
  border-left: 3px solid var(--thread);
  padding: 0.4rem 0 0.4rem 1rem;
  display: grid;
  gap: 0.5rem;
}
.head,
.do {
  display: flex;
  gap: 0.6rem;
  align-items: center;
  flex-wrap: wrap;
}
.gap {
  flex: 1;
}
.guards,
.actions {
  list-style: none;
  margin: 0;
  padding: 0;
}
.actions {
  display: grid;
  gap: 0.4rem;
}
.actions strong {
  margin-right: 0.6em;
}
.quiet {
  border: 0;
  background: none;
  color: var(--soft);
  cursor: pointer;
}
</style>
