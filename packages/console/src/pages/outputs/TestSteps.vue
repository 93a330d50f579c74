<script setup lang="ts">
import type { Delivery } from '@causalis/contract';
import { attemptText, durationText, stepText } from '@causalis/words';
import { computed } from 'vue';
import { texts } from '../../texts.js';

/** A test as the steps of its way: each with its time, and the mend at the one that failed. */
const props = defineProps<{ delivery: Delivery }>();
defineEmits<{ close: [] }>();
const attempt = computed(() => props.delivery.attempts.at(-1));
const said = computed(() => (attempt.value ? attemptText(attempt.value) : { what: props.delivery.state, mend: '' }));
const ended = computed(() => {
  const { state, recipient } = props.delivery;
  const what = state === 'delivered' ? texts.outputs.arrived : texts.outputs.notArrived;
  return recipient ? `${what} ${texts.outputs.to(recipient)}` : what;
});
const slowest = computed(() => Math.max(1, ...(attempt.value?.steps ?? []).map(({ tookMs }) => tookMs)));
</script>

<template>
  <section class="test" role="status">
    <table>
      <tbody>
        <tr v-for="step in attempt?.steps ?? []" :key="step.step" :class="{ failed: !step.passed }">
          <td>{{ step.passed ? '✓' : '✗' }}</td>
          <th scope="row">{{ stepText(step.step) }}</th>
          <td class="time">{{ durationText(step.tookMs) }}</td>
          <td class="bar" aria-hidden="true"><span :style="{ width: `${Math.max(1, (step.tookMs / slowest) * 100)}%` }"></span></td>
        </tr>
        <tr v-for="receipt in delivery.receipts" :key="receipt.at">
          <td>✓</td>
          <th scope="row">{{ texts.outputs.readBack }}</th>
          <td>{{ receipt.value }}</td>
          <td></td>
        </tr>
      </tbody>
    </table>
    <p :class="{ failed: delivery.state !== 'delivered' }">
      <strong>{{ ended }}</strong>: {{ said.what }}. <span v-if="delivery.state !== 'delivered'">{{ said.mend }}</span>
    </p>
    <p class="small">
      <RouterLink :to="`/ledger/events/${delivery.event}`">{{ texts.urgent.see }}</RouterLink>
      <button type="button" class="quiet small" @click="$emit('close')">{{ texts.close }}</button>
    </p>
  </section>
</template>

<style scoped>
.test {
  border-left: 3px solid var(--thread);
  padding: 0.4rem 0 0.4rem 1rem;
  display: grid;
  gap: 0.4rem;
}
table {
  border-collapse: collapse;
  width: min(100%, 32rem);
}
th {
  text-align: left;
  font-weight: 400;
}
td,
th {
  padding: 0.1rem 0.8rem 0.1rem 0;
}
.time {
  text-align: right;
  white-space: nowrap;
}
.bar {
  width: 40%;
}
.bar span {
  display: block;
  height: 4px;
  background: var(--thread);
}
.failed {
  color: var(--urgent);
}
.failed .bar span {
  background: var(--urgent);
}
.quiet {
  border: 0;
  background: none;
  color: var(--soft);
  cursor: pointer;
  margin-left: 1rem;
}
</style>
