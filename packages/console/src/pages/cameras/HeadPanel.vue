<script setup lang="ts">
import type { HeadCommand, HeadReport } from '@causalis/contract';
import { ref, shallowRef } from 'vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { client } from '../../use/session.js';

/** Steers a camera's head: presets, home, and by hand; saves where it looks as a preset. */
const props = defineProps<{ camera: string }>();
const t = texts.cameras.head;
const { params, may } = useSite();
const mayOperate = may('operate');
const { busy, failed, run } = useDoing();
const head = shallowRef<HeadReport>();
const name = ref('');
const item = { ...params, key: props.camera };
void run('read', async () => {
  head.value = await client.call('head', { params: item });
});
const tell = (command: HeadCommand) =>
  run('steer', async () => {
    head.value = await client.call('steer', { params: item, body: command });
    if ('save' in command) name.value = '';
  });
const ways = [
  { sign: '←', label: t.left, move: { pan: -0.6 } },
  { sign: '→', label: t.right, move: { pan: 0.6 } },
  { sign: '↑', label: t.up, move: { tilt: -0.6 } },
  { sign: '↓', label: t.down, move: { tilt: 0.6 } },
  { sign: '+', label: t.closer, move: { zoom: 0.6 } },
  { sign: '−', label: t.wider, move: { zoom: -0.6 } },
];
</script>

<template>
  <section class="head">
    <h2>{{ t.title }}</h2>
    <p v-if="failed" class="failed" role="alert">{{ failed }}</p>
    <div v-if="head" class="row">
      <button
        v-for="preset in head.presets"
        :key="preset.token"
        type="button"
        class="plain-button"
        :disabled="!mayOperate"
        :aria-disabled="busy !== ''"
        @click="tell({ go: preset.token })"
      >
        {{ preset.name }}
      </button>
      <button type="button" class="plain-button" :disabled="!mayOperate" :aria-disabled="busy !== ''" @click="tell({ home: true })">
        {{ t.home }}
      </button>
    </div>
    <div v-if="head && mayOperate" class="row">
      <button
        v-for="way in ways"
        :key="way.label"
        type="button"
        class="plain-button"
        :aria-label="way.label"
        :aria-disabled="busy !== ''"
        @click="tell({ move: way.move, forMs: 500 })"
      >
        {{ way.sign }}
      </button>
      <form class="row" @submit.prevent="tell({ save: name })">
        <label class="field">{{ t.name }}<input v-model="name" required pattern="[a-z][a-z0-9\-]{0,40}"></label>
        <button type="submit" class="plain-button" :aria-disabled="busy !== ''">{{ t.save }}</button>
      </form>
    </div>
  </section>
</template>

<style scoped>
.head {
  display: grid;
  gap: 0.5rem;
}
h2,
p {
  margin: 0;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  align-items: end;
}
.failed {
  color: var(--urgent);
}
</style>
