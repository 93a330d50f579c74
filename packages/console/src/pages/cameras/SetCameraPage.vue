<script setup lang="ts">
import { type AnswerOf, deviceFeeds, parseShare, type ReplayReport, type Watching } from '@causalis/contract';
import { cameraText, dateText, kindText } from '@causalis/words';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { useRoute } from 'vue-router';
import MarkShapes from '../../parts/MarkShapes.vue';
import PictureFrame from '../../parts/PictureFrame.vue';
import { highFor, pictureWide } from '../../parts/picture-high.js';
import SeenThings from '../../parts/SeenThings.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useCounters } from '../../use/counters.js';
import { useDoing } from '../../use/doing.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import LevelMeter from '../watch/LevelMeter.vue';
import { useLive } from '../watch/use-live.js';
import BecausePanel from './BecausePanel.vue';
import DevicePanel from './DevicePanel.vue';
import GroupPanel from './GroupPanel.vue';
import HeadPanel from './HeadPanel.vue';
import MarkEditor from './MarkEditor.vue';
import MarkPanel from './MarkPanel.vue';
import ReplayPanel from './ReplayPanel.vue';
import TimeBar from './TimeBar.vue';
import TrialCrossing from './TrialCrossing.vue';
import { drawn, useDraft } from './use-draft.js';
import { useMarks } from './use-marks.js';
import ValuesPanel from './ValuesPanel.vue';

/** Where a camera looks and for what: marks over the live picture, values, and what they would do to the remembered day. */
const props = defineProps<{ camera: string }>();
const t = texts.cameras;
const route = useRoute();
const { params, zone, may } = useSite();
const mayConfigure = may('configure');
const { busy, failed, run } = useDoing();
const { saved, draft, dirty, past, told, besides, tag, read, follow, change, undo, save, hold } = useDraft(props.camera);
const counters = useCounters(params.site);
const report = useReading(() => client.call('camera', { params: { ...params, key: props.camera } }));
const { pictures, levels } = useLive(params.site, [props.camera]);
const live = computed(() => pictures.get(props.camera));
const state = computed(() => live.value?.frame.state ?? report.value.value?.state);
const marks = useMarks(draft, change);
const { chosen, mark, others, put } = marks;
/** A crossing of the chosen line on trial. */
const trial = ref<'in' | 'out'>();
const counts = computed(() => counters.byMark(props.camera));
const all = ref(false);
void run('read', read);

const steered = computed(() => saved.value !== undefined && deviceFeeds(saved.value).length > 0);
const setWatching = (watching: Watching) => change({ watching });
/** Smallest and largest as boxes of a standing person's shape, in the middle of the picture. */
const high = computed(() => highFor(state.value));
const sizes = computed(() => {
  const value = (name: 'smallest' | 'largest') =>
    parseShare(
      String(draft.value.watching[name] ?? report.value.value?.watching.find((one) => one.name === name && !one.dark)?.value ?? ''),
    ) ?? 0;
  return (['smallest', 'largest'] as const).map((name) => {
    // Twice as high as wide in pixels; a box that does not fit is as high as the picture.
    const tall = Math.min(1, Math.sqrt((value(name) * 2 * pictureWide) / high.value));
    return { name, high: tall * high.value, wide: Math.min(1, value(name) / tall) * pictureWide };
  });
});

/** What is being tried of both thresholds, before it is saved: by day, or in the dark where that says something of its own. */
const tried = computed(() => {
  const { watching } = draft.value;
  const { threshold, difference } = { ...watching, ...(state.value?.dark ? watching.dark : {}) };
  const share = threshold === undefined ? undefined : parseShare(String(threshold));
  return { ...(share === undefined ? {} : { threshold: share }), ...(difference === undefined ? {} : { difference: Number(difference) }) };
});

const replayed = shallowRef<ReplayReport>();
const replaying = ref(false);
let timer: ReturnType<typeof setTimeout> | undefined;
async function tryAgain() {
  replaying.value = true;
  try {
    const body = { marks: draft.value.marks, watching: draft.value.watching };
    replayed.value = await client.call('replay', { params: { ...params, key: props.camera }, body });
    failed.value = '';
  } catch (error) {
    failed.value = (error as Error).message;
  } finally {
    replaying.value = false;
  }
}
watch(draft, () => {
  clearTimeout(timer);
  timer = setTimeout(() => void tryAgain(), 350);
});
onBeforeUnmount(() => clearTimeout(timer));

const suggested = ref('');
const suggest = () =>
  run('suggest', async () => {
    const found = await client.call('suggest', { params: { ...params, key: props.camera }, body: { seconds: 60 } });
    const values = Object.entries(found.watching);
    suggested.value = t.suggested(found.events, values.map(([name, value]) => `${t.names[name as 'smallest']} ${value}`).join(', '));
    if (values.length > 0) change({ watching: { ...draft.value.watching, ...found.watching } });
  });
const keep = () =>
  run('save', async () => {
    await save();
    await report.again();
  });
const afterGroup = () =>
  run('read', async () => {
    await follow();
    await report.again();
    await tryAgain();
  });
const newest = computed(
  () => [...(replayed.value?.stay ?? []), ...(replayed.value?.come ?? [])].sort((a, b) => b.first.localeCompare(a.first))[0],
);
const removed = computed(() => Object.entries(live.value?.frame.removed ?? {}).sort((a, b) => b[1] - a[1]));
const event = computed(() => (typeof route.query.event === 'string' ? route.query.event : undefined));
const seen = computed<AnswerOf<'camera'>['seen']>(() => report.value.value?.seen ?? []);
</script>

<template>
  <div v-if="report.value.value" class="setting">
    <header class="tabs">
      <h1>{{ report.value.value.title }}</h1>
      <span v-if="state" class="small" :class="state.state"
        >{{ cameraText(state) }}{{ state.dark ? `, ${t.dark.toLowerCase()}` : '' }}</span
      >
      <RouterLink :to="`/cameras/${camera}/walk`">{{ t.walk }}</RouterLink>
      <span class="gap"></span>
      <span v-if="told" class="well small" role="status">{{ told }}</span>
      <span v-else-if="dirty" class="important small" role="status">{{ t.unsaved }}</span>
      <button type="button" class="plain-button" :disabled="past.length === 0" @click="undo">{{ t.undo }}</button>
      <button v-if="dirty" type="button" class="plain-button" @click="run('read', read)">{{ t.takeBack }}</button>
      <button type="button" class="primary-button" :disabled="!dirty || !mayConfigure" :aria-disabled="busy !== ''" @click="keep">
        {{ t.save }}
      </button>
    </header>
    <p v-if="failed" class="failed" role="alert">{{ failed }}</p>
    <div class="columns">
      <section class="left">
        <PictureFrame :source="live?.url" :alt="`Live picture of ${report.value.value.title}`" :size="state" usable>
          <MarkShapes :marks="others" :counts="counts" />
          <SeenThings v-if="live" :frame="live.frame" :all="all" />
          <g class="sizes" aria-hidden="true">
            <template v-for="size in sizes" :key="size.name">
              <rect :x="(pictureWide - size.wide) / 2" :y="high - size.high" :width="size.wide" :height="size.high" />
              <text :x="(pictureWide + size.wide) / 2 + 8" :y="Math.max(30, high - size.high + 22)">{{ size.name }}</text>
            </template>
          </g>
          <TrialCrossing
            v-if="trial && mark?.line"
            :key="trial"
            :mark="drawn(chosen, mark)"
            :direction="trial"
            :counts="counts.get(chosen) ?? { in: 0, out: 0, inside: 0 }"
          />
          <MarkEditor v-if="mark" :mark="mark" :name="chosen" @hold="hold" @change="(next, step) => put(chosen, next, step)" />
        </PictureFrame>
        <label class="small soft"><input v-model="all" type="checkbox"> {{ t.showAll }}</label>
        <MarkPanel :marks="marks" :may-change="mayConfigure" @trial="(way) => (trial = way)" />
        <HeadPanel v-if="steered" :camera="camera" />
        <DevicePanel
          v-if="report.value.value?.device"
          :device="report.value.value.device"
          :taken="draft.reports"
          :may-change="mayConfigure"
          @change="(reports) => change({ reports })"
        />
        <LevelMeter
          v-for="one in live?.frame.zones ?? []"
          :key="one.zone"
          :zone="one"
          both
          :wanted="tried"
          :points="levels.get(`${camera} ${one.zone}`) ?? []"
        />
      </section>
      <section class="right">
        <BecausePanel v-if="event" :event="event" :camera="camera" :draft="draft" @change="change" />
        <ValuesPanel :watching="draft.watching" :in-force="report.value.value.watching" :disabled="!mayConfigure" @change="setWatching" />
        <GroupPanel
          v-if="saved?.group"
          :group="saved.group"
          :revision="tag"
          :in-force="report.value.value.watching"
          :disabled="!mayConfigure"
          @dirty="(now) => (besides = now)"
          @saved="afterGroup"
        />
        <div>
          <button type="button" class="plain-button" :aria-disabled="busy !== ''" @click="suggest">{{ t.suggest }}</button>
          <span class="soft small how">{{ t.suggestHow }}</span>
          <p v-if="suggested" role="status">{{ suggested }}</p>
        </div>
        <TimeBar :event="newest" :in-force="report.value.value.watching" :own="draft.watching" />
        <ReplayPanel :report="replayed" :busy="replaying" />
        <div>
          <h2>{{ t.removed }}</h2>
          <p v-if="removed.length === 0" class="soft">{{ t.removedNone }}</p>
          <p v-else>
            <span v-for="[ verdict, n ] in removed" :key="verdict" class="removed">{{ n }} {{ t.verdicts[verdict as 'light'] }}</span>
          </p>
        </div>
        <div>
          <h2>{{ t.seen }}</h2>
          <ul class="seen">
            <li v-for="one in seen" :key="one.kind">
              <span>{{ kindText(one.kind) }}</span><span class="soft">{{ one.last ? dateText(one.last, zone) : t.never }}</span>
            </li>
          </ul>
        </div>
      </section>
    </div>
  </div>
  <p v-else-if="report.error.value" role="alert">{{ report.error.value }}</p>
</template>

<style scoped>
.gap {
  flex: 1;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 25rem;
  gap: 2rem;
  align-items: start;
}
.left,
.right {
  display: grid;
  gap: 1.1rem;
}
.sizes rect {
  fill: none;
  stroke: #fdfcf9;
  stroke-width: 1.5;
  stroke-dasharray: 3 7;
  opacity: 0.6;
}
.sizes text {
  font:
    500 20px "Inter Variable",
    sans-serif;
  fill: #fdfcf9;
  paint-order: stroke;
  stroke: #1d2420;
  stroke-width: 4px;
}
@container (max-width: 480px) {
  .sizes text {
    font-size: 42px;
    stroke-width: 8px;
  }
}
.how {
  margin-left: 0.6rem;
}
h2 {
  margin: 0 0 0.3rem;
}
.removed + .removed::before {
  content: ", ";
}
.seen {
  list-style: none;
  margin: 0;
  padding: 0;
}
.seen li {
  display: flex;
  justify-content: space-between;
  gap: 1rem;
  padding: 0.2rem 0;
  border-bottom: 1px solid var(--line);
}
.live {
  color: var(--well);
}
.late,
.frozen,
.important {
  color: var(--important);
}
.lost,
.failed {
  color: var(--urgent);
}
.well {
  color: var(--well);
}
@media (max-width: 1100px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
