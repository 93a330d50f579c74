<script setup lang="ts">
import type { FoundDevice, PathsReport } from '@causalis/contract';
import { ref, shallowRef } from 'vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { client } from '../../use/session.js';

/** Devices that answer on the network, and likely addresses at a host: one click takes an address over. */
const props = defineProps<{ user: string; password: string }>();
const emit = defineEmits<{ take: [kind: 'onvif' | 'rtsp' | 'multipart' | 'still', url: string] }>();
const t = texts.cameras.find;
const { params } = useSite();
const { busy, failed, run } = useDoing();
const devices = shallowRef<readonly FoundDevice[]>();
const paths = shallowRef<PathsReport>();
const host = ref('');
const said = ref('');

const search = () =>
  run('search', async () => {
    devices.value = (await client.call('found', { params })).items;
  });
const tryHost = () =>
  run('paths', async () => {
    const who = props.user === '' ? {} : { user: props.user, password: props.password };
    paths.value = await client.call('paths', { params, body: { host: host.value, ...who } });
  });
const follow = (camera: string) =>
  run('follow', async () => {
    const { url } = await client.call('followCamera', { params: { ...params, key: camera } });
    said.value = t.followed(camera, url);
    devices.value = (await client.call('found', { params })).items;
  });
const facts = ({ maker, codec, width, height, rate }: PathsReport['found'][number]['report']) =>
  [maker, codec, width ? `${width} × ${height}` : '', rate ? `${rate}/s` : ''].filter(Boolean).join(', ');
</script>

<template>
  <section class="find" aria-live="polite">
    <div class="ask">
      <button type="button" class="plain-button" :aria-disabled="busy !== ''" @click="search">
        {{ busy === 'search' ? t.searching : t.search }}
      </button>
      <form @submit.prevent="tryHost">
        <label class="field"
          >{{ t.host }}<input v-model.trim="host" name="host" required placeholder="192.0.2.10" autocomplete="off"></label
        >
        <button type="submit" class="plain-button" :aria-disabled="busy !== ''">{{ busy === 'paths' ? t.trying : t.try }}</button>
      </form>
    </div>
    <p v-if="failed" class="failed" role="alert">{{ failed }}</p>
    <p v-if="said" role="status">{{ said }}</p>
    <p v-if="devices?.length === 0" class="soft">{{ t.nobody }}</p>
    <ul v-if="devices">
      <li v-for="one in devices" :key="one.device">
        <strong>{{ one.name ?? one.url }}</strong>
        <span class="small soft">{{ [one.model, one.url].filter(Boolean).join(', ') }}</span>
        <span class="gap"></span>
        <template v-if="one.camera">
          <span class="small" :class="{ important: one.moved }">{{ one.moved ? t.moved(one.camera) : t.known(one.camera) }}</span>
          <button v-if="one.moved" type="button" class="plain-button small" :aria-disabled="busy !== ''" @click="follow(one.camera)">
            {{ t.follow }}
          </button>
        </template>
        <button v-else type="button" class="plain-button small" @click="emit('take', 'onvif', one.url)">{{ t.take }}</button>
      </li>
    </ul>
    <p v-if="paths?.found.length === 0" class="soft">{{ t.noPaths(paths.tried) }}</p>
    <ul v-if="paths">
      <li v-for="one in paths.found" :key="one.url">
        <img v-if="one.report.picture" :src="`data:image/jpeg;base64,${one.report.picture}`" alt="">
        <strong>{{ one.url }}</strong>
        <span class="small soft">{{ one.kind }}, {{ facts(one.report) }}</span>
        <span class="gap"></span>
        <button type="button" class="plain-button small" :aria-label="`${t.take}: ${one.url}`" @click="emit('take', one.kind, one.url)">
          {{ t.take }}
        </button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.find {
  display: grid;
  gap: 0.5rem;
  max-width: 60rem;
  margin: 0.75rem 0 1.25rem;
}
.ask,
form {
  display: flex;
  gap: 0.8rem;
  align-items: end;
  flex-wrap: wrap;
}
.ask {
  gap: 0.8rem 2rem;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  gap: 0.3rem 1rem;
  align-items: center;
  flex-wrap: wrap;
  padding: 0.45rem 0;
  border-bottom: 1px solid var(--line);
  overflow-wrap: anywhere;
}
li img {
  width: 7rem;
  border-radius: 4px;
}
.gap {
  flex: 1;
}
.failed {
  color: var(--urgent);
}
.important {
  color: var(--important);
}
</style>
