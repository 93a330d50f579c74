<script setup lang="ts">
import type { Delivery } from '@causalis/contract';
import { attemptText, clockText, dateText, deliveryText, durationText } from '@causalis/words';
import { computed } from 'vue';
import { deliveryKnots, isCancellable, isRetryable, isSendable } from '../../parts/deliveries.js';
import Knot from '../../parts/Knot.vue';
import SureButton from '../../parts/SureButton.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';

/** One delivery with its attempts, and what can be done with it. */
const props = defineProps<{ delivery: Delivery; may: boolean; busy: boolean }>();
defineEmits<{ does: [name: 'retry' | 'cancel' | 'sendAgain', id: string] }>();
const { zone } = useSite();
const lastSaid = computed(() => {
  const last = props.delivery.attempts.at(-1);
  return last && props.delivery.state !== 'delivered' ? attemptText(last) : undefined;
});
const stateText = computed(() =>
  props.delivery.state === 'retrying' && props.delivery.due ? `retrying, due ${clockText(props.delivery.due, zone)}` : props.delivery.state,
);
const about = (what: string) => `${what}: ${deliveryText(props.delivery)}`;
</script>

<template>
  <li class="row" :data-delivery="delivery.id" :data-state="delivery.state">
    <time class="when" :datetime="delivery.created" :title="`${dateText(delivery.created, zone)} (${zone})`">{{
      clockText(delivery.created, zone)
    }}</time>
    <Knot class="knot" :kind="deliveryKnots[delivery.state]" />
    <div class="what">
      <p>
        {{ deliveryText(delivery) }}
        <span class="state small" :class="delivery.state">{{ stateText }}</span>
        <span v-if="delivery.test" class="small test">{{ texts.chain.test }}</span>
        <span v-if="delivery.again" class="small soft again">{{ texts.deliveries.sentAgain }}</span>
      </p>
      <p v-if="lastSaid" class="small">{{ lastSaid.what }}. <span class="soft">{{ lastSaid.mend }}</span></p>
      <p class="small soft"><RouterLink :to="`/ledger/events/${delivery.event}`">{{ delivery.rule }}</RouterLink>, {{ delivery.action }}</p>
      <details v-if="delivery.attempts.length > 0" class="small">
        <summary>{{ texts.deliveries.attempts(delivery.attempts.length) }}</summary>
        <ol>
          <li v-for="attempt in delivery.attempts" :key="attempt.number">
            <span class="soft">{{ clockText(attempt.began, zone, true) }}</span> {{ attempt.number }}. {{ attemptText(attempt).what
            }}<span v-if="attempt.tookMs !== undefined" class="soft"> {{ durationText(attempt.tookMs) }}</span>
          </li>
          <li class="soft">{{ texts.chain.key }} <code>{{ delivery.key }}</code></li>
        </ol>
      </details>
    </div>
    <div v-if="may" class="do">
      <button
        v-if="isRetryable(delivery.state)"
        type="button"
        class="plain-button small"
        :aria-disabled="busy"
        :aria-label="about(texts.chain.retry)"
        @click="$emit('does', 'retry', delivery.id)"
      >
        {{ texts.chain.retry }}
      </button>
      <SureButton
        v-if="isCancellable(delivery.state)"
        :label="texts.deliveries.cancel"
        :about="about(texts.deliveries.cancel)"
        :busy="busy"
        @sure="$emit('does', 'cancel', delivery.id)"
      />
      <SureButton
        v-if="isSendable(delivery)"
        :label="texts.deliveries.again"
        :about="about(texts.deliveries.again)"
        :busy="busy"
        @sure="$emit('does', 'sendAgain', delivery.id)"
      />
    </div>
  </li>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 5rem 1.4rem minmax(0, 1fr) auto;
  gap: 0.2rem 0.7rem;
  padding: 0.6rem 0;
  border-bottom: 1px solid var(--line);
  align-items: start;
}
.knot {
  margin-top: 0.15rem;
}
.what {
  display: grid;
  gap: 0.1rem;
  overflow-wrap: anywhere;
}
.what .state,
.what .test,
.what .again {
  margin-left: 0.5em;
}
.state.delivered {
  color: var(--well);
}
.state.failed,
.state.expired {
  color: var(--urgent);
}
.state.retrying,
.test {
  color: var(--important);
}
details ol {
  margin: 0.2rem 0;
  padding: 0;
  list-style: none;
}
summary {
  cursor: pointer;
  color: var(--soft);
}
.do {
  display: flex;
  gap: 0.4rem;
  flex-wrap: wrap;
  justify-content: end;
}
@media (max-width: 700px) {
  .row {
    grid-template-columns: 1.4rem minmax(0, 1fr);
  }
  .when {
    grid-column: 2;
    font-size: 0.8125rem;
  }
  .knot {
    grid-row: 1 / span 2;
    grid-column: 1;
  }
  .what,
  .do {
    grid-column: 2;
    justify-content: start;
  }
}
</style>
