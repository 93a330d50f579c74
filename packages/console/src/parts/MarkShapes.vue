<script setup lang="ts">
import type { DrawnMark } from '@causalis/contract';
import { computed } from 'vue';
import { texts } from '../texts.js';
import type { CounterNow } from '../use/counters.js';
import { acrossLine } from './line-side.js';
import { usePictureHigh, pictureWide as wide } from './picture-high.js';

/** Marks drawn over a picture: outlines with their names and what they count, never a fog. A line shows with an arrow which side is in. */
const props = defineProps<{ marks: readonly DrawnMark[]; counts?: ReadonlyMap<string, Pick<CounterNow, 'in' | 'out' | 'inside'>> }>();
const high = usePictureHigh();
const points = (corners: readonly (readonly [number, number])[]) => corners.map(([x, y]) => `${x * wide},${y * high.value}`).join(' ');

/** The outline of painted cells: the edges between painted and not. */
function edges(cells: readonly string[]): string {
  const [down, across] = [high.value / cells.length, wide / cells[0].length];
  const painted = (x: number, y: number) => cells[y]?.[x] === '#';
  const parts: string[] = [];
  cells.forEach((row, y) => {
    [...row].forEach((_, x) => {
      if (!painted(x, y)) return;
      if (!painted(x - 1, y)) parts.push(`M${x * across} ${y * down}v${down}`);
      if (!painted(x + 1, y)) parts.push(`M${(x + 1) * across} ${y * down}v${down}`);
      if (!painted(x, y - 1)) parts.push(`M${x * across} ${y * down}h${across}`);
      if (!painted(x, y + 1)) parts.push(`M${x * across} ${(y + 1) * down}h${across}`);
    });
  });
  return parts.join('');
}

/** A mark's name stands at its corner nearest to the upper left, inside of the picture. */
function nameAt({ corners, cells }: DrawnMark) {
  const painted = (cells ?? []).flatMap((row, y) =>
    row.includes('#') ? [[row.indexOf('#') / row.length, y / (cells?.length ?? 1)] as const] : [],
  );
  const [x, y] = [...corners, ...painted].sort((a, b) => a[0] + a[1] - b[0] - b[1])[0] ?? [0, 0];
  return { x: Math.min(x, 0.86) * wide + 12, y: Math.max(y, 0.02) * high.value + 32 };
}

/** An arrow across the middle of a line, towards the side that is in. */
function arrow(mark: DrawnMark): string {
  const { x, y, nx, ny } = acrossLine(mark, high.value);
  const [tx, ty] = [x + nx * 56, y + ny * 56];
  const [px, py] = [-ny, nx];
  return `M${x} ${y}L${tx} ${ty}M${tx - nx * 16 + px * 12} ${ty - ny * 16 + py * 12}L${tx} ${ty}L${tx - nx * 16 - px * 12} ${ty - ny * 16 - py * 12}`;
}
const countOf = (name: string) => {
  const counts = props.counts?.get(name);
  return counts && texts.cameras.counts(counts.in, counts.out, counts.inside);
};
const shown = computed(() => props.marks.filter(({ corners, cells }) => corners.length > 1 || cells));
</script>

<template>
  <g v-for="mark in shown" :key="mark.name" :class="mark.kind" class="mark">
    <path v-if="mark.cells" :d="edges(mark.cells)" />
    <polyline v-else-if="mark.kind === 'line'" :points="points(mark.corners)" />
    <polygon v-else :points="points(mark.corners)" />
    <path v-if="mark.kind === 'line'" :d="arrow(mark)" />
    <text v-bind="nameAt(mark)">{{ mark.name }}</text>
    <text v-if="countOf(mark.name)" v-bind="nameAt(mark)" dy="1.25em">{{ countOf(mark.name) }}</text>
  </g>
</template>

<style scoped>
.mark polygon,
.mark polyline,
.mark path {
  fill: none;
  stroke: #fdfcf9;
  stroke-width: 2.5;
}
.mark.ignored polygon,
.mark.ignored path {
  stroke-dasharray: 4 9;
  opacity: 0.75;
}
.mark.private polygon,
.mark.private path {
  stroke-dasharray: 14 6;
}
.mark.line polyline,
.mark.line path {
  stroke: #6fbfa8;
  stroke-width: 4;
}
text {
  font:
    560 24px "Inter Variable",
    sans-serif;
  fill: #fdfcf9;
  paint-order: stroke;
  stroke: #1d2420;
  stroke-width: 5px;
}
@container (max-width: 480px) {
  text {
    font-size: 48px;
    stroke-width: 9px;
  }
}
</style>
