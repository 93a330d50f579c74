<script setup lang="ts">
import { nextTick, ref, useTemplateRef } from 'vue';
import { texts } from '../texts.js';

/** A button whose effect cannot be taken back asks once more, in its own place. */
const props = defineProps<{ label: string; about?: string; busy?: boolean }>();
const emit = defineEmits<{ sure: [] }>();
const asked = ref(false);
const yes = useTemplateRef<HTMLButtonElement>('yes');
const first = useTemplateRef<HTMLButtonElement>('first');
async function ask() {
  if (props.busy) return;
  asked.value = true;
  await nextTick();
  yes.value?.focus();
}
async function leave() {
  asked.value = false;
  await nextTick();
  first.value?.focus();
}
function go() {
  asked.value = false;
  emit('sure');
}
</script>

<template>
  <span class="sure">
    <template v-if="asked">
      <button ref="yes" type="button" class="plain-button small yes" @click="go" @keydown.esc="leave">{{ texts.sure }} {{ label }}</button>
      <button type="button" class="plain-button small" @click="leave">{{ texts.keep }}</button>
    </template>
    <button v-else ref="first" type="button" class="plain-button small" :aria-disabled="busy" :aria-label="about" @click="ask">
      {{ label }}
    </button>
  </span>
</template>

<style scoped>
.sure {
  display: inline-flex;
  gap: 0.4rem;
}
.yes {
  border-color: var(--urgent);
  color: var(--urgent);
}
</style>
