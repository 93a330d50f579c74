<script setup lang="ts">
import { parseDuration, parseShare, type Watching, type WatchingInForce, type WatchingValue, watchingValues } from '@causalis/contract';
import { computed } from 'vue';
import { texts } from '../../texts.js';

/** Every value by which a camera is watched, by day and in the dark, with where it comes from. An empty field takes what holds otherwise. */
const props = defineProps<{ watching: Watching; inForce: readonly WatchingInForce[]; disabled: boolean; of?: 'camera' | 'group' }>();
const emit = defineEmits<{ change: [watching: Watching]; wrong: [names: readonly string[]] }>();
const t = texts.cameras;

const isRight = (name: WatchingValue, text: string): boolean =>
  text === '' ||
  (name === 'difference'
    ? /^\d{1,3}$/.test(text) && Number(text) >= 2 && Number(text) <= 120
    : (name === 'at-least' || name === 'quiet' || name === 'pause' ? parseDuration(text) : parseShare(text)) !== undefined);
const own = (name: WatchingValue, dark: boolean) => String((dark ? props.watching.dark?.[name] : props.watching[name]) ?? '');
/** What holds where the field is empty: the group's word, else what is usual. */
const otherwise = (name: WatchingValue, dark: boolean): WatchingInForce | undefined =>
  props.inForce.find((one) => one.name === name && (one.dark ?? false) === dark && one.from !== 'camera');
const placeholder = (name: WatchingValue, dark: boolean) => otherwise(name, dark)?.value ?? (dark ? t.asDay : '');
const origin = (name: WatchingValue): string => {
  if (own(name, false) !== '') return props.of === 'group' ? t.from.shared : t.from.camera;
  const { from, group = '' } = props.inForce.find((one) => one.name === name && !one.dark) ?? { from: 'default' as const };
  return from === 'group' ? t.from.group(group) : t.from.default;
};

function set(name: WatchingValue, dark: boolean, text: string) {
  const target = dark ? { ...props.watching.dark } : { ...props.watching };
  if (text === '') delete target[name];
  else (target as Record<string, unknown>)[name] = name === 'difference' && isRight(name, text) ? Number(text) : text;
  if (!dark) emit('change', target);
  else {
    const { dark: _, ...rest } = props.watching;
    emit('change', Object.keys(target).length > 0 ? { ...rest, dark: target } : rest);
  }
}
const rows = computed(() => watchingValues.map((name) => ({ name, about: t.about[name], title: t.names[name] })));
</script>

<template>
  <table class="values">
    <caption class="visually-hidden">
      {{ of === 'group' ? t.shared.values : t.values }}
    </caption>
    <thead>
      <tr>
        <th></th>
        <th scope="col">{{ t.day }}</th>
        <th scope="col">{{ t.dark }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="{ name, about, title } in rows" :key="name">
        <th scope="row">
          {{ title }}<span class="soft small">{{ about }} · {{ origin(name) }}</span>
        </th>
        <td v-for="dark in [false, true]" :key="String(dark)">
          <input
            :value="own(name, dark)"
            :placeholder="placeholder(name, dark)"
            :aria-label="`${title} ${dark ? t.dark : t.day}${of === 'group' ? t.shared.ofGroup : ''}`"
            :aria-invalid="!isRight(name, own(name, dark))"
            :disabled="disabled"
            :data-value="`${of === 'group' ? 'group-' : ''}${dark ? 'dark-' : ''}${name}`"
            @change="set(name, dark, ($event.target as HTMLInputElement).value.trim())"
          >
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.values {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 560;
  padding: 0.3rem 0.6rem 0.3rem 0;
}
th span {
  display: block;
  font-weight: 400;
}
thead th {
  font-size: 0.8125rem;
  color: var(--soft);
}
td {
  padding: 0.25rem 0.4rem 0.25rem 0;
  width: 5.6rem;
}
input {
  width: 100%;
  font: inherit;
  font-variant-numeric: tabular-nums;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.25rem 0.4rem;
}
input[aria-invalid="true"] {
  border-color: var(--urgent);
}
</style>
