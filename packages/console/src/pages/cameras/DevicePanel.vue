<script setup lang="ts">
import type { DeviceReport, OwnReport } from '@causalis/contract';
import { dateText } from '@causalis/words';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';

/** What an ONVIF camera can say by itself: which of it is taken, and when it last came. */
const props = defineProps<{ device: DeviceReport; taken: readonly OwnReport[]; mayChange: boolean }>();
const emit = defineEmits<{ change: [taken: OwnReport[]] }>();
const t = texts.cameras.device;
const { zone } = useSite();
const toggle = (what: OwnReport, on: boolean) => emit('change', on ? [...props.taken, what] : props.taken.filter((one) => one !== what));
</script>

<template>
  <section class="device">
    <h2>{{ t.title }}</h2>
    <p class="small soft">{{ t.how }}</p>
    <ul>
      <li v-for="one in device.reports" :key="one.what">
        <label>
          <input
            type="checkbox"
            :checked="taken.includes(one.what)"
            :disabled="!mayChange"
            @change="toggle(one.what, ($event.target as HTMLInputElement).checked)"
          >
          {{ t.reports[one.what] }}
        </label>
        <span class="soft small">{{ one.last ? dateText(one.last, zone) : t.never }}</span>
      </li>
    </ul>
    <p v-if="device.inputs.length > 0" class="small">{{ t.inputs }}: {{ device.inputs.join(', ') }}</p>
    <p v-if="device.relays.length > 0" class="small">{{ t.relays }}: {{ device.relays.join(', ') }}</p>
  </section>
</template>

<style scoped>
.device {
  display: grid;
  gap: 0.3rem;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 0.3rem 1rem;
  flex-wrap: wrap;
  align-items: baseline;
}
</style>
