<script setup lang="ts">
import type { ActionReport, Delivery } from '@causalis/contract';
import { attemptText, clockText, deliveryText, durationText, skipText } from '@causalis/words';
import { computed } from 'vue';
import { deliveryKnots, isRetryable } from '../../parts/deliveries.js';
import Knot from '../../parts/Knot.vue';
import { texts } from '../../texts.js';
import type { Scale } from './scale.js';

/** One action as a strand: dashed while it waits, a bead for each attempt, a knot where it ends, its receipt behind. */
const props = defineProps<{ action: ActionReport; scale: Scale; zone: string; mayRetry: boolean }>();
defineEmits<{ retry: [id: string] }>();

const percent = (at: number) => `${(Math.min(1, at) * 100).toFixed(2)}%`;
const start = computed(() => (props.action.started ? props.scale.at(props.action.started) : 0));
const ends = computed(() =>
  props.action.deliveries.map((delivery) => ({
    delivery,
    at: delivery.ended
      ? props.scale.at(delivery.ended)
      : delivery.attempts.length > 0
        ? props.scale.at(delivery.attempts[delivery.attempts.length - 1].began)
        : start.value,
  })),
);
const end = computed(() => Math.max(start.value, ...ends.value.map(({ at }) => at)));
/** Between being set and going back a light is on: that stretch is drawn broad. */
const held = computed(() => {
  if (props.action.verb !== 'set') return undefined;
  const [set, back] = [ends.value.find(({ delivery }) => !delivery.back), ends.value.find(({ delivery }) => delivery.back)];
  return set?.delivery.state === 'delivered' && back ? { from: set.at, to: back.at } : undefined;
});
const stateText = (delivery: Delivery) =>
  delivery.state === 'retrying' && delivery.due ? `retrying, due ${clockText(delivery.due, props.zone)}` : delivery.state;
const took = (delivery: Delivery) => (delivery.ended ? durationText(Date.parse(delivery.ended) - Date.parse(delivery.created)) : '');
const retryable = (delivery: Delivery) => props.mayRetry && isRetryable(delivery.state);
</script>

<template>
  <li class="strand" :data-action="action.name" :data-state="action.state">
    <div class="name">
      <strong>{{ action.name }}</strong>
      <span v-if="action.after.length > 0" class="soft small">{{ texts.chain.waits(action.after.join(', ')) }}</span>
    </div>
    <div class="line" aria-hidden="true">
      <span class="wait" :style="{ width: percent(start) }"></span>
      <span class="run" :style="{ left: percent(start), width: percent(end - start) }"></span>
      <span v-if="held" class="hold" :style="{ left: percent(held.from), width: percent(held.to - held.from) }"></span>
      <template v-for="{ delivery, at } in ends" :key="delivery.id">
        <span v-for="attempt in delivery.attempts" :key="attempt.number" class="at" :style="{ left: percent(scale.at(attempt.began)) }"
          ><Knot :kind="attempt.outcome === 'delivered' ? 'bead' : 'bead-failed'" /></span
        >
        <span class="at" :style="{ left: percent(at) }"
          ><Knot v-if="delivery.ended || delivery.attempts.length === 0" :kind="deliveryKnots[delivery.state]" /></span
        >
        <span v-for="receipt in delivery.receipts" :key="receipt.at" class="at" :style="{ left: percent(scale.at(receipt.at)) }"
          ><Knot kind="receipt" /></span
        >
      </template>
      <span v-if="action.state === 'skipped'" class="at" :style="{ left: percent(start) }"><Knot kind="held" /></span>
    </div>
    <div class="told">
      <p v-if="action.reason" class="small soft">{{ skipText(action.reason) }}</p>
      <div
        v-for="delivery in action.deliveries"
        :key="delivery.id"
        class="delivery small"
        :class="delivery.state"
        :data-delivery="delivery.id"
        :data-state="delivery.state"
      >
        <p class="fate">
          <Knot :kind="deliveryKnots[delivery.state]" />
          <span class="state">{{ stateText(delivery) }}</span>
          <span>{{ deliveryText(delivery) }}</span>
          <span class="soft">{{ took(delivery) }}</span>
          <span v-for="receipt in delivery.receipts" :key="receipt.at" class="soft receipt">read back {{ receipt.value }}</span>
          <button v-if="retryable(delivery)" type="button" class="plain-button small" @click="$emit('retry', delivery.id)">
            {{ texts.chain.retry }}
          </button>
        </p>
        <ol v-if="delivery.attempts.some(({ outcome }) => outcome !== 'delivered')" class="attempts">
          <li v-for="attempt in delivery.attempts" :key="attempt.number" :data-attempt="attempt.number">
            <span class="soft">{{ clockText(attempt.began, zone) }}</span> {{ attempt.number }}. {{ attemptText(attempt).what
            }}<template v-if="attempt.outcome !== 'delivered' && attemptText(attempt).mend">
              <span class="soft mend">{{ attemptText(attempt).mend }}</span></template
            >
          </li>
        </ol>
      </div>
    </div>
  </li>
</template>

<style scoped>
.strand {
  display: grid;
  grid-template-columns: 8.5rem minmax(0, 1fr);
  column-gap: 1rem;
  padding: 0.55rem 0 0.7rem;
  border-bottom: 1px solid var(--line);
}
.name {
  display: flex;
  flex-direction: column;
  line-height: 1.3;
  grid-row: span 2;
}
.line {
  position: relative;
  height: 1.5rem;
}
.wait,
.run,
.hold {
  position: absolute;
  top: 50%;
  height: 0;
  border-top: 2px solid var(--thread);
}
.wait {
  left: 0;
  border-top: 2px dotted var(--held);
}
.hold {
  border-top: 8px solid var(--thread);
  margin-top: -3px;
  opacity: 0.3;
  border-radius: 4px;
}
.at {
  position: absolute;
  top: 50%;
  transform: translate(-50%, -50%);
}
.fate {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 0.6rem;
  align-items: center;
}
.fate :deep(svg) {
  width: 14px;
  height: 14px;
}
.state {
  font-weight: 620;
}
.delivered .state {
  color: var(--well);
}
.failed .state,
.expired .state {
  color: var(--urgent);
}
.retrying .state {
  color: var(--important);
}
.attempts .soft {
  margin-right: 0.3em;
}
.attempts .mend {
  margin-left: 0.6em;
}
.attempts {
  margin: 0.2rem 0 0.3rem 1.7rem;
  padding: 0;
  list-style: none;
}
@media (max-width: 700px) {
  .strand {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
