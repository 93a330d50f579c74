<script setup lang="ts">
import type { Mark } from '@causalis/contract';
import { computed, nextTick, ref, useTemplateRef, watch } from 'vue';
import { pictureWide as sheetWide, usePictureHigh } from '../../parts/picture-high.js';
import { texts } from '../../texts.js';
import { isPainted, kindOf, shapeOf, withShape } from './use-draft.js';

/** Draws the chosen mark over the picture: its corners dragged, put in and taken out, or its cells painted. By hand, finger and keyboard. */
const props = defineProps<{ mark: Mark; name: string }>();
const emit = defineEmits<{ change: [mark: Mark, step: boolean]; hold: [] }>();
const sheetHigh = usePictureHigh();
const picture = useTemplateRef<SVGGElement>('picture');
const chosen = ref(0);
const cell = ref({ x: 16, y: 9 });
let painting: '#' | '.' | undefined;
let dragging = -1;

const shape = computed(() => shapeOf(props.mark));
const corners = computed(() => (isPainted(shape.value) ? [] : (shape.value as [number, number][])));
const cells = computed(() => (isPainted(shape.value) ? shape.value.cells : undefined));
const closed = computed(() => kindOf(props.mark) !== 'line');
const least = computed(() => (closed.value ? 3 : 2));
watch(
  () => props.name,
  () => {
    chosen.value = 0;
  },
);

const round = (value: number) => Math.round(Math.min(1, Math.max(0, value)) * 1000) / 1000;
function at(event: PointerEvent): [number, number] {
  const box = picture.value?.ownerSVGElement?.getBoundingClientRect();
  return box ? [round((event.clientX - box.left) / box.width), round((event.clientY - box.top) / box.height)] : [0, 0];
}
const put = (next: readonly (readonly [number, number])[], step = true) => emit('change', withShape(props.mark, next), step);
const moved = (i: number, to: [number, number]) => corners.value.map((corner, k) => (k === i ? to : corner));

function grab(i: number, event: PointerEvent) {
  emit('hold');
  dragging = i;
  chosen.value = i;
  (event.target as Element).setPointerCapture(event.pointerId);
}
function drag(event: PointerEvent) {
  if (dragging >= 0) put(moved(dragging, at(event)), false);
}
function drop() {
  dragging = -1;
}
const middles = computed(() =>
  corners.value.flatMap(([x, y], i) => {
    const next = corners.value[i + 1] ?? (closed.value ? corners.value[0] : undefined);
    return next ? [{ i, x: (x + next[0]) / 2, y: (y + next[1]) / 2 }] : [];
  }),
);
async function focusOn(i: number) {
  await nextTick();
  picture.value?.querySelectorAll<SVGElement>('.corner')[i]?.focus();
}
function insert(i: number, corner: [number, number]) {
  put([...corners.value.slice(0, i + 1), corner, ...corners.value.slice(i + 1)]);
  chosen.value = i + 1;
  void focusOn(i + 1);
}
function remove(i: number) {
  if (corners.value.length <= least.value) return;
  put(corners.value.filter((_, k) => k !== i));
  chosen.value = Math.max(0, i - 1);
  void focusOn(chosen.value);
}
const ways: Record<string, readonly [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
function key(i: number, event: KeyboardEvent) {
  const way = ways[event.key];
  const [x, y] = corners.value[i];
  if (way) put(moved(i, [round(x + way[0] * (event.shiftKey ? 0.05 : 0.01)), round(y + way[1] * (event.shiftKey ? 0.05 : 0.01))]));
  else if (event.key === 'Delete' || event.key === 'Backspace') remove(i);
  else if (event.key === 'Insert' || event.key === 'i') {
    const middle = middles.value.find((one) => one.i === i) ?? middles.value[i - 1];
    if (middle) insert(middle.i, [round(middle.x), round(middle.y)]);
  } else return;
  event.preventDefault();
}

function paintAt(x: number, y: number, step: boolean) {
  const rows = cells.value;
  if (!rows || !painting) return;
  const row = rows[y];
  if (row === undefined || row[x] === undefined || row[x] === painting) return;
  const next = rows.map((one, k) => (k === y ? one.slice(0, x) + painting + one.slice(x + 1) : one));
  emit('change', withShape(props.mark, { cells: next }), step);
}
function cellOf(event: PointerEvent): [number, number] {
  const [x, y] = at(event);
  const rows = cells.value ?? [''];
  return [Math.min(rows[0].length - 1, Math.floor(x * rows[0].length)), Math.min(rows.length - 1, Math.floor(y * rows.length))];
}
function beginPaint(event: PointerEvent) {
  if (!cells.value) return;
  const [x, y] = cellOf(event);
  emit('hold');
  painting = event.altKey || cells.value[y][x] === '#' ? '.' : '#';
  (event.target as Element).setPointerCapture(event.pointerId);
  paintAt(x, y, false);
}
function paint(event: PointerEvent) {
  if (painting) paintAt(...cellOf(event), false);
}
function endPaint() {
  painting = undefined;
}
function paintKey(event: KeyboardEvent) {
  const rows = cells.value;
  if (!rows) return;
  const way = ways[event.key];
  if (way)
    cell.value = {
      x: Math.min(rows[0].length - 1, Math.max(0, cell.value.x + way[0])),
      y: Math.min(rows.length - 1, Math.max(0, cell.value.y + way[1])),
    };
  else if (event.key === ' ') {
    painting = rows[cell.value.y][cell.value.x] === '#' ? '.' : '#';
    paintAt(cell.value.x, cell.value.y, true);
    painting = undefined;
  } else return;
  event.preventDefault();
}
const wide = computed(() => sheetWide / (cells.value?.[0].length ?? 1));
const high = computed(() => sheetHigh.value / (cells.value?.length ?? 1));
const points = computed(() => corners.value.map(([x, y]) => `${x * sheetWide},${y * sheetHigh.value}`).join(' '));
</script>

<template>
  <g ref="picture" class="editor">
    <template v-if="cells">
      <rect
        class="canvas"
        :width="sheetWide"
        :height="sheetHigh"
        tabindex="0"
        role="application"
        :aria-label="`${name}. ${texts.cameras.paintHint}`"
        @pointerdown="beginPaint"
        @pointermove="paint"
        @pointerup="endPaint"
        @keydown="paintKey"
      />
      <template v-for="(row, y) in cells" :key="y">
        <rect
          v-for="x in [...row].flatMap((c, i) => (c === '#' ? [i] : []))"
          :key="x"
          class="painted"
          :x="x * wide"
          :y="y * high"
          :width="wide"
          :height="high"
        />
      </template>
      <rect class="cursor" :x="cell.x * wide" :y="cell.y * high" :width="wide" :height="high" />
    </template>
    <template v-else>
      <component :is="closed ? 'polygon' : 'polyline'" class="outline" :points="points" />
      <circle
        v-for="middle in middles"
        :key="`m${middle.i}`"
        class="middle"
        :cx="middle.x * sheetWide"
        :cy="middle.y * sheetHigh"
        r="9"
        @pointerdown="insert(middle.i, [round(middle.x), round(middle.y)])"
      />
      <circle
        v-for="([ x, y ], i) in corners"
        :key="`c${i}`"
        class="corner"
        :class="{ chosen: chosen === i }"
        :cx="x * sheetWide"
        :cy="y * sheetHigh"
        r="15"
        tabindex="0"
        role="button"
        :aria-label="`Corner ${i + 1} of ${name}: ${Math.round(x * 100)}% right, ${Math.round(y * 100)}% down`"
        @pointerdown="grab(i, $event)"
        @pointermove="drag"
        @pointerup="drop"
        @pointercancel="drop"
        @focus="chosen = i"
        @keydown="key(i, $event)"
      />
    </template>
  </g>
</template>

<style scoped>
.editor {
  touch-action: none;
}
.canvas {
  fill: transparent;
  cursor: crosshair;
}
.painted {
  fill: #6fbfa8;
  opacity: 0.34;
  pointer-events: none;
}
.cursor {
  fill: none;
  stroke: #f2c94c;
  stroke-width: 3;
  pointer-events: none;
}
.outline {
  fill: none;
  stroke: #f2c94c;
  stroke-width: 4;
}
.corner {
  fill: #1d2420;
  stroke: #f2c94c;
  stroke-width: 4;
  cursor: grab;
}
.corner.chosen {
  fill: #f2c94c;
}
.corner:focus-visible {
  outline: none;
  stroke: #fdfcf9;
  stroke-width: 7;
}
.middle {
  fill: #f2c94c;
  opacity: 0.55;
  cursor: copy;
}
@media (max-width: 700px) {
  .corner {
    r: 34px;
  }
  .middle {
    r: 20px;
  }
}
</style>
