<script setup lang="ts">
import { kindOfMark, type Mark, markKinds, parseDuration, parseTimeOfDay } from '@causalis/contract';
import { computed, ref, watch } from 'vue';
import { texts } from '../../texts.js';
import { type Marks, square, wholeCorners } from './use-marks.js';

/** The marks of a camera: one is chosen, added, named, painted, counted by, taken out. */
const props = defineProps<{ marks: Marks; mayChange: boolean }>();
const emit = defineEmits<{ trial: [direction: 'in' | 'out' | undefined] }>();
const t = texts.cameras;
const { draft, chosen, names, mark, add, remove, rename, paintWith, outline, isArea, painted, turn, set } = props.marks;

const counter = computed(() => mark.value?.counter);
const changeCounter = (next: Partial<NonNullable<Mark['counter']>>) => set('counter', { thresholds: {}, ...counter.value, ...next });
const wrong = ref('');
watch(chosen, () => {
  wrong.value = '';
  emit('trial', undefined);
});
/** Takes a field's text when it can be read; otherwise the field says so and nothing changes. */
function take(field: string, text: string, isRight: (text: string) => boolean, use: (text: string | undefined) => void) {
  wrong.value = text === '' || isRight(text) ? '' : field;
  if (wrong.value === '') use(text || undefined);
}
const setLabels = (text: string) => {
  const label = text.split(/[\s,]+/).filter(Boolean);
  changeCounter({ label: label.length > 0 ? label : undefined });
};
const numbers = ['in', 'out', 'inside'] as const;
const setThreshold = (of: 'in' | 'out' | 'inside', text: string) =>
  take(
    of,
    text,
    (one) => /^[1-9]\d{0,6}$/.test(one),
    (one) => {
      const { [of]: _, ...rest } = counter.value?.thresholds ?? {};
      changeCounter({ thresholds: one === undefined ? rest : { ...rest, [of]: Number(one) } });
    },
  );
const value = (event: Event) => (event.target as HTMLInputElement).value.trim();
const isOn = (event: Event) => (event.target as HTMLInputElement).checked;
</script>

<template>
  <div class="marks">
    <h2>{{ t.marks }}</h2>
    <div class="row" role="group" :aria-label="t.marks">
      <button
        v-for="name in names"
        :key="name"
        type="button"
        class="plain-button"
        :aria-pressed="chosen === name"
        @click="chosen = chosen === name ? '' : name"
      >
        {{ name }} <span class="soft small">{{ t.kinds[kindOfMark(draft.marks[name])] }}</span>
      </button>
      <template v-if="mayChange">
        <button v-for="kind in markKinds" :key="kind" type="button" class="plain-button add" @click="add(kind)">
          + {{ t.addMark[kind] }}
        </button>
      </template>
    </div>
    <div v-if="mark" class="row chosen">
      <label class="field">{{ t.rename }}<input :value="chosen" @change="rename(value($event))"></label>
      <template v-if="isArea">
        <button type="button" class="plain-button" @click="outline(wholeCorners)">{{ t.whole }}</button>
        <button type="button" class="plain-button" @click="paintWith('none')">{{ t.nothing }}</button>
        <button v-if="!painted" type="button" class="plain-button" @click="paintWith('outline')">{{ t.paint }}</button>
        <button v-else type="button" class="plain-button" @click="outline(square)">{{ t.outline }}</button>
      </template>
      <button v-else type="button" class="plain-button" @click="turn">{{ t.turn }}</button>
      <label v-if="mark.zone">
        <input type="checkbox" :checked="mark['every-change']" @change="set('every-change', isOn($event) || undefined)"> {{ t.everyChange }}
      </label>
      <label v-if="mark.zone || mark.line">
        <input type="checkbox" :checked="counter !== undefined" @change="isOn($event) ? changeCounter({}) : set('counter', undefined)">
        {{ t.counter }}
      </label>
      <button type="button" class="plain-button" @click="remove">{{ t.remove }}</button>
      <label v-if="mark.zone" class="field short">
        {{ t.lingers }}
        <input
          :value="mark.lingers ?? ''"
          placeholder="30s"
          :aria-invalid="wrong === 'lingers'"
          @change="
            take(
              'lingers',
              value($event),
              (one) => parseDuration(one) !== undefined,
              (one) => set('lingers', one),
            )
          "
        >
      </label>
      <fieldset v-if="counter" class="row">
        <legend class="small soft">{{ t.counting.title }}</legend>
        <label class="field">
          {{ t.counting.only }}
          <input :value="(counter.label ?? []).join(', ')" :placeholder="t.counting.all" @change="setLabels(value($event))">
        </label>
        <label class="field short">
          {{ t.counting.reset }}
          <input
            :value="counter.reset ?? ''"
            placeholder="18:00"
            :aria-invalid="wrong === 'reset'"
            @change="
              take(
                'reset',
                value($event),
                (one) => parseTimeOfDay(one) !== undefined,
                (one) => changeCounter({ reset: one }),
              )
            "
          >
        </label>
        <label v-for="number in numbers" :key="number" class="field short">
          {{ t.counting.tells[number] }}
          <input :value="counter.thresholds[number] ?? ''" :aria-invalid="wrong === number" @change="setThreshold(number, value($event))">
        </label>
        <template v-if="mark.line">
          <button type="button" class="plain-button" @click="emit('trial', 'in')">{{ t.counting.tryIn }}</button>
          <button type="button" class="plain-button" @click="emit('trial', 'out')">{{ t.counting.tryOut }}</button>
        </template>
      </fieldset>
      <p v-if="wrong" class="failed" role="alert">{{ t.wrong }}</p>
      <p class="soft small">{{ painted ? t.paintHint : t.hint }}</p>
    </div>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem 0.7rem;
  align-items: end;
}
.row p {
  flex-basis: 100%;
  margin: 0;
}
.marks {
  display: grid;
  gap: 0.6rem;
}
.chosen {
  border-left: 2px solid var(--thread);
  padding-left: 0.8rem;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  flex-basis: 100%;
}
.short input {
  width: 5.5rem;
}
input[aria-invalid="true"] {
  border-color: var(--urgent);
}
[aria-pressed="true"] {
  border-color: var(--thread);
  color: var(--thread);
}
.add {
  color: var(--soft);
  border-style: dashed;
}
.failed {
  color: var(--urgent);
}
</style>
