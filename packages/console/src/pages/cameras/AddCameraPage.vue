<script setup lang="ts">
import { type FeedKind, feedKinds, type ProbeReport } from '@causalis/contract';
import { clockOffText, durationText, probeFailureText } from '@causalis/words';
import { computed, reactive, ref, shallowRef } from 'vue';
import { useRouter } from 'vue-router';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { client } from '../../use/session.js';
import FindCameras from './FindCameras.vue';

/** Look what answers at an address, and make a camera of it: of a recorder, one of each channel. */
const t = texts.cameras.probe;
const { params } = useSite();
const { busy, failed, run } = useDoing();
const router = useRouter();
const form = reactive({ kind: 'onvif' as FeedKind, address: '', user: '', password: '', certificate: '' });
const report = shallowRef<ProbeReport>();
const key = ref('');
const title = ref('');
const done = ref('');
const channels = reactive(new Map<string, { take: boolean; key: string; title: string }>());

const hasAddress = computed(() => !['device', 'file', 'pushed'].includes(form.kind));
/** Nothing answers for a camera that sends by itself: there is nothing to look at. */
const pushed = computed(() => form.kind === 'pushed');
/** One profile a channel: the smallest is watched, the largest is kept. */
const sources = computed(() => {
  const bySource = new Map<string, ProbeReport['profiles']>();
  for (const profile of report.value?.profiles ?? []) bySource.set(profile.source, [...(bySource.get(profile.source) ?? []), profile]);
  return [...bySource].map(([source, profiles]) => {
    const sorted = [...profiles].sort((a, b) => (a.width ?? 0) - (b.width ?? 0));
    return { source, small: sorted[0], large: sorted[sorted.length - 1] };
  });
});

function feed(profile?: string, secret?: string): Record<string, unknown> {
  const where = { device: { path: form.address }, file: { file: form.address }, pushed: {} }[form.kind as string] ?? { url: form.address };
  const who = hasAddress.value && form.user !== '' ? { user: form.user, ...(secret ? { password: { secret } } : {}) } : {};
  const certificate = form.certificate && form.address.startsWith('https:') ? { certificate: form.certificate } : {};
  const device = profile && report.value?.device ? { device: report.value.device } : {};
  return { kind: form.kind, ...where, ...who, ...certificate, ...device, ...(profile ? { profile } : {}) };
}
/** An address that was found. */
function take(kind: FeedKind, url: string) {
  Object.assign(form, { kind, address: url, certificate: '' });
  report.value = undefined;
  if (kind !== 'onvif' || form.user !== '') void look();
}
/** Somebody has compared the certificate and says that it is the camera's. */
function pin(fingerprint: string) {
  form.certificate = fingerprint;
  void look();
}
const asKey = (text: string) =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 40);

const look = () =>
  run('look', async () => {
    report.value = pushed.value ? { ok: true, tookMs: 0, profiles: [] } : undefined;
    done.value = '';
    if (pushed.value) return;
    const body = {
      feed: feed() as never,
      channels: form.kind === 'onvif',
      ...(hasAddress.value && form.user !== '' ? { password: form.password } : {}),
    };
    const found = await client.call('probe', { params, body });
    report.value = found;
    channels.clear();
    for (const { source } of sources.value) channels.set(source, { take: true, key: asKey(source), title: source });
  });

/** The secret is written when the document names it, so the camera comes first. */
async function addOne(name: string, camera: Record<string, unknown>, secret: string | undefined) {
  const item = { ...params, section: 'cameras', key: name };
  const { site } = await client.call('status', { params });
  await client.call('putItem', { params: item, body: camera, headers: { 'if-match': `"${site.revision}"` } });
  if (secret) await client.call('setSecret', { params: { ...params, key: secret }, body: { value: form.password } });
}
const save = () =>
  run('save', async () => {
    const secret = hasAddress.value && form.user !== '' ? key.value || asKey(new URL(form.address).host) : undefined;
    const several = sources.value.length > 1;
    if (several) {
      const shared = secret ? `${asKey(form.user)}-${asKey(new URL(form.address).host)}` : undefined;
      for (const { source, small, large } of sources.value) {
        const one = channels.get(source);
        if (!one?.take) continue;
        const feeds = { main: feed(large.token, shared), ...(small.token === large.token ? {} : { small: feed(small.token, shared) }) };
        await addOne(one.key, { title: one.title, feeds }, shared);
      }
      await router.push('/cameras');
      return;
    }
    const only = sources.value[0];
    const feeds = only
      ? {
          main: feed(only.large.token, secret),
          ...(only.small.token === only.large.token ? {} : { small: feed(only.small.token, secret) }),
        }
      : { main: feed(undefined, secret) };
    await addOne(key.value, { title: title.value, feeds }, secret);
    await router.push(`/cameras/${key.value}`);
  });
const facts = computed(() => {
  const { codec, width, height, rate, maker } = report.value ?? {};
  return [maker, codec, width ? `${width} × ${height}` : '', rate ? `${rate}/s` : ''].filter(Boolean).join(', ');
});
const ready = computed(() =>
  sources.value.length > 1 ? [...channels.values()].some(({ take }) => take) : /^[a-z][a-z0-9-]*$/.test(key.value) && title.value !== '',
);
</script>

<template>
  <div>
    <header class="tabs"><h1>{{ t.title }}</h1></header>
    <p class="soft">{{ t.how }}</p>
    <FindCameras :user="form.user" :password="form.password" @take="take" />
    <form class="asked" @submit.prevent="look">
      <label class="field">
        {{ t.kind }}
        <select v-model="form.kind" name="kind" @change="report = undefined">
          <option v-for="kind in feedKinds" :key="kind" :value="kind">{{ t.kinds[kind] }}</option>
        </select>
      </label>
      <label v-if="!pushed" class="field wide">
        {{ form.kind === 'file' ? t.file : t.address }}
        <input
          v-model="form.address"
          name="address"
          required
          :placeholder="
            form.kind === 'onvif'
              ? 'http://192.0.2.10/onvif/device_service'
              : form.kind === 'rtsp'
                ? 'rtsp://192.0.2.10/stream'
                : form.kind === 'device'
                  ? '/dev/video0'
                  : ''
          "
          autocomplete="off"
        >
      </label>
      <label v-if="hasAddress" class="field">{{ t.user }}<input v-model="form.user" name="user" autocomplete="off"></label>
      <label v-if="hasAddress" class="field">
        {{ t.password }}<input v-model="form.password" name="password" type="password" autocomplete="new-password">
      </label>
      <button type="submit" class="primary-button" :aria-disabled="busy !== ''">
        {{ busy === 'look' ? t.looking : pushed ? t.goOn : t.look }}
      </button>
    </form>
    <p v-if="failed" class="failed" role="alert">{{ failed }}</p>
    <section v-if="report" class="found" aria-live="polite">
      <p v-if="pushed">{{ t.pushed }} <RouterLink to="/sources">{{ texts.cameras.sources }}</RouterLink></p>
      <p v-else-if="report.ok" class="well">{{ t.answers }}: {{ facts }}, {{ t.first(durationText(report.tookMs)) }}</p>
      <p v-else class="failed" role="alert">{{ t.not }}: {{ probeFailureText(report) }}.</p>
      <p v-if="report.fingerprint && !report.ok" class="pin">
        <span class="small">{{ t.certificate }} <code>{{ report.fingerprint }}</code></span>
        <button type="button" class="plain-button small" :aria-disabled="busy !== ''" @click="pin(report.fingerprint)">{{ t.pin }}</button>
      </p>
      <p v-for="line in clockOffText(report)" :key="line" class="important">{{ line }}</p>
      <img v-if="report.picture && sources.length < 2" :src="`data:image/jpeg;base64,${report.picture}`" alt="What came">
      <form v-if="report.ok" @submit.prevent="save">
        <template v-if="sources.length > 1">
          <h2>{{ t.channels }}</h2>
          <ul>
            <li v-for="{ source, large } in sources" :key="source">
              <img v-if="large.picture" :src="`data:image/jpeg;base64,${large.picture}`" :alt="source">
              <template v-for="one in [channels.get(source)]" :key="one?.key">
                <template v-if="one">
                  <label class="take"><input v-model="one.take" type="checkbox"> {{ t.take }}</label>
                  <label class="field">{{ t.key }}<input v-model="one.key"></label>
                  <label class="field">{{ t.name }}<input v-model="one.title"></label>
                </template>
              </template>
            </li>
          </ul>
        </template>
        <div v-else class="asked">
          <label class="field">{{ t.key }}<input v-model="key" name="key" required pattern="[a-z][a-z0-9\-]*"></label>
          <label class="field">{{ t.name }}<input v-model="title" name="title" required></label>
        </div>
        <button type="submit" class="primary-button" :disabled="!ready" :aria-disabled="busy !== ''">{{ t.save }}</button>
      </form>
    </section>
  </div>
</template>

<style scoped>
.asked {
  display: flex;
  gap: 0.8rem;
  align-items: end;
  flex-wrap: wrap;
  margin: 0.75rem 0;
}
.wide {
  flex: 1 1 22rem;
}
.found {
  display: grid;
  gap: 0.6rem;
  max-width: 60rem;
}
.found p {
  margin: 0;
}
.pin {
  display: grid;
  gap: 0.4rem;
  justify-items: start;
  overflow-wrap: anywhere;
}
.found > img {
  max-width: 40rem;
  width: 100%;
  border-radius: 4px;
}
ul {
  list-style: none;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(15rem, 1fr));
  gap: 1.25rem;
}
li {
  display: grid;
  gap: 0.4rem;
}
li img {
  width: 100%;
  border-radius: 4px;
}
.failed {
  color: var(--urgent);
}
.important {
  color: var(--important);
}
.well {
  color: var(--well);
}
</style>
