import type { Area, Camera, DrawnMark, Mark, MarkKind, OwnReport, Watching } from '@causalis/contract';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef } from 'vue';
import { onBeforeRouteLeave } from 'vue-router';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { client } from '../../use/session.js';

/** What is changed of a camera on this page: nobody else sees it before it is saved. */
export interface Draft {
  readonly marks: Readonly<Record<string, Mark>>;
  readonly watching: Watching;
  readonly reports: readonly OwnReport[];
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
const draftOf = ({ marks, watching, reports }: Camera): Draft => ({ marks: marks ?? {}, watching: watching ?? {}, reports: reports ?? [] });
const most = 100;

/** The marks and values of a camera as they are being changed, with undo; leaving with changes asks. */
export function useDraft(key: string) {
  const { params } = useSite();
  const item = { ...params, section: 'cameras', key };
  const saved = shallowRef<Camera>();
  const tag = ref('');
  const draft = shallowRef<Draft>({ marks: {}, watching: {}, reports: [] });
  const past = shallowRef<readonly Draft[]>([]);
  const told = ref('');
  const dirty = computed(() => saved.value !== undefined && !same(draft.value, draftOf(saved.value)));

  async function read(): Promise<void> {
    const answer = await client.raw('item', { params: item });
    tag.value = answer.headers.get('etag') ?? '';
    const camera = (await answer.json()) as Camera;
    saved.value = camera;
    draft.value = draftOf(camera);
    past.value = [];
  }
  /** Takes note of a revision that did not touch this camera: what is being changed stays. */
  async function follow(): Promise<void> {
    const answer = await client.raw('item', { params: item });
    const camera = (await answer.json()) as Camera;
    if (!same(camera, saved.value)) return;
    tag.value = answer.headers.get('etag') ?? '';
  }
  /** Takes a change; `step` false while a corner is being dragged, so that a drag is one step back. */
  function change(next: Partial<Draft>, step = true): void {
    if (step) past.value = [...past.value, draft.value].slice(-most);
    draft.value = { ...draft.value, ...next };
    told.value = '';
  }
  function undo(): void {
    const before = past.value.at(-1);
    if (!before) return;
    past.value = past.value.slice(0, -1);
    draft.value = before;
  }
  async function save(): Promise<void> {
    const report = await client.call('putItem', {
      params: item,
      body: { ...saved.value, ...draft.value },
      headers: { 'if-match': tag.value },
    });
    told.value = texts.cameras.savedAs(report.revision);
    await read();
  }

  /** Something else on the page is not saved either. */
  const besides = ref(false);
  const warn = (event: BeforeUnloadEvent) => {
    if (dirty.value || besides.value) event.preventDefault();
  };
  onMounted(() => window.addEventListener('beforeunload', warn));
  onBeforeUnmount(() => window.removeEventListener('beforeunload', warn));
  onBeforeRouteLeave(() => (!dirty.value && !besides.value) || window.confirm(texts.cameras.leave));
  return {
    saved,
    draft,
    dirty,
    past,
    told,
    besides,
    tag,
    read,
    follow,
    change,
    undo,
    save,
    hold: () => (past.value = [...past.value, draft.value].slice(-most)),
  };
}

export const kindOf = (mark: Mark): MarkKind => (mark.zone ? 'zone' : mark.ignored ? 'ignored' : mark.private ? 'private' : 'line');
export const shapeOf = (mark: Mark): Area | readonly (readonly [number, number])[] =>
  mark.zone ?? mark.ignored ?? mark.private ?? mark.line ?? [];
export const isPainted = (shape: ReturnType<typeof shapeOf>): shape is { cells: string[] } => 'cells' in shape;

/** A mark with another shape. */
export const withShape = (mark: Mark, shape: unknown): Mark => ({ ...mark, [kindOf(mark)]: shape }) as Mark;

/** A mark as the picture draws it. */
export function drawn(name: string, mark: Mark): DrawnMark {
  const shape = shapeOf(mark);
  const kind = kindOf(mark);
  return {
    name,
    kind,
    ...(isPainted(shape) ? { corners: [], cells: shape.cells } : { corners: [...shape] as [number, number][] }),
    ...(kind === 'line' ? { in: mark.in ?? 'left' } : {}),
  };
}
