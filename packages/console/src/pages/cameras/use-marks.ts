import type { Mark, MarkKind } from '@causalis/contract';
import { computed, type Ref, ref } from 'vue';
import { type Draft, drawn, isPainted, kindOf, shapeOf, withShape } from './use-draft.js';

/** Where a new mark stands. */
export const square: [number, number][] = [
  [0.3, 0.4],
  [0.7, 0.4],
  [0.7, 0.8],
  [0.3, 0.8],
];
export const wholeCorners: [number, number][] = [
  [0, 0],
  [1, 0],
  [1, 1],
  [0, 1],
];
/** The cells in which a mark is painted. */
const grid = { across: 32, down: 18 };

export type Marks = ReturnType<typeof useMarks>;

/** The marks of a camera as they are being changed, and the one that is chosen. */
export function useMarks(draft: Ref<Draft>, change: (next: Partial<Draft>, step?: boolean) => void) {
  const chosen = ref('');
  const names = computed(() => Object.keys(draft.value.marks));
  const mark = computed<Mark | undefined>(() => draft.value.marks[chosen.value]);
  const others = computed(() =>
    names.value
      .filter((name) => name !== chosen.value || kindOf(draft.value.marks[name]) === 'line')
      .map((name) => drawn(name, draft.value.marks[name])),
  );
  const put = (name: string, next: Mark, step = true) => change({ marks: { ...draft.value.marks, [name]: next } }, step);
  const freeName = (kind: MarkKind) => {
    for (let i = 1; ; i++) {
      const name = i === 1 ? kind : `${kind}-${i}`;
      if (!names.value.includes(name)) return name;
    }
  };
  function add(kind: MarkKind) {
    const name = freeName(kind);
    const shape = kind === 'line' ? { line: [square[3], square[2]], in: 'left' as const } : { [kind]: square };
    put(name, shape as Mark);
    chosen.value = name;
  }
  function remove() {
    const { [chosen.value]: _, ...rest } = draft.value.marks;
    change({ marks: rest });
    chosen.value = '';
  }
  function rename(to: string) {
    if (to === chosen.value || !/^[a-z][a-z0-9-]{0,62}$/.test(to) || names.value.includes(to)) return;
    change({ marks: Object.fromEntries(Object.entries(draft.value.marks).map(([name, one]) => [name === chosen.value ? to : name, one])) });
    chosen.value = to;
  }
  /** The cells that an outline covers, or all or none of them. */
  function paintWith(fill: 'outline' | 'all' | 'none') {
    if (!mark.value) return;
    const shape = shapeOf(mark.value);
    const inside = (x: number, y: number) => {
      if (isPainted(shape)) return false;
      let odd = false;
      for (let i = 0, j = shape.length - 1; i < shape.length; j = i++) {
        const [[xi, yi], [xj, yj]] = [shape[i], shape[j]];
        if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) odd = !odd;
      }
      return odd;
    };
    const cells = Array.from({ length: grid.down }, (_, y) =>
      Array.from({ length: grid.across }, (__, x) =>
        fill === 'all' || (fill === 'outline' && inside((x + 0.5) / grid.across, (y + 0.5) / grid.down)) ? '#' : '.',
      ).join(''),
    );
    put(chosen.value, withShape(mark.value, { cells }));
  }
  const outline = (corners: readonly (readonly [number, number])[]) => mark.value && put(chosen.value, withShape(mark.value, corners));
  const isArea = computed(() => mark.value !== undefined && kindOf(mark.value) !== 'line');
  const painted = computed(() => mark.value !== undefined && isPainted(shapeOf(mark.value)));
  const turn = () => mark.value && put(chosen.value, { ...mark.value, in: mark.value.in === 'right' ? 'left' : 'right' });
  /** Sets a word of the chosen mark, or takes it out. */
  function set<K extends 'every-change' | 'counter' | 'lingers'>(word: K, value: Mark[K] | undefined) {
    if (!mark.value) return;
    const { [word]: _, ...rest } = mark.value;
    put(chosen.value, value === undefined ? rest : ({ ...rest, [word]: value } as Mark));
  }
  return { draft, chosen, names, mark, others, put, add, remove, rename, paintWith, outline, isArea, painted, turn, set };
}
