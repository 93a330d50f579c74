<script setup lang="ts">
import type { AccountReport, CameraReport } from '@causalis/contract';
import { dateText } from '@causalis/words';
import { computed, reactive, ref } from 'vue';
import SureButton from '../../parts/SureButton.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';

/** Accounts for cameras that can only send: all that is typed into the camera; the password once. */
const props = defineProps<{ accounts: readonly AccountReport[] }>();
const emit = defineEmits<{ changed: [] }>();
const { params, zone } = useSite();
const { busy, failed, run } = useDoing();
const cameras = useReading(() => client.call('cameras', { params }));
const told = ref<{ key: string; password: string }>();
const form = reactive({ camera: '', kind: 'upload' as AccountReport['kind'], folder: '/' });
const list = computed<readonly CameraReport[]>(() => cameras.value.value?.items ?? []);
const rows = ({ host, port, user, folder, issued, key }: AccountReport) => [
  [texts.sources.host, host],
  [texts.sources.port, port === undefined ? texts.sources.nobodyListens : String(port)],
  [texts.sources.user, user],
  ...(folder ? [[texts.sources.folder, folder]] : []),
  [
    texts.sources.password,
    told.value?.key === key
      ? told.value.password
      : issued
        ? `${texts.sources.passwordIssued} ${dateText(issued, zone)}`
        : texts.sources.noPassword,
  ],
];

async function issue(key: string) {
  await run('issue', async () => {
    const { password } = await client.call('issueAccount', { params: { ...params, key } });
    told.value = { key, password };
  });
  emit('changed');
}
async function make() {
  const ending = form.kind === 'upload' ? 'uploads' : 'mail';
  let key = `${form.camera}-${ending}`.slice(0, 60);
  for (let n = 2; props.accounts.some((one) => one.key === key); n++) key = `${form.camera}-${ending}-${n}`;
  const made = await run('make', async () => {
    const { site } = await client.call('status', { params });
    const item = { ...params, section: 'accounts', key };
    const body = { kind: form.kind, camera: form.camera, ...(form.kind === 'upload' ? { folder: form.folder } : {}) };
    await client.call('putItem', { params: item, body, headers: { 'if-match': `"${site.revision}"` } });
  });
  if (made) await issue(key);
}
</script>

<template>
  <section class="made">
    <h2>{{ texts.sources.accounts }}</h2>
    <p class="small soft">{{ texts.sources.accountsHow }}</p>
    <p v-if="failed" role="alert" class="failed">{{ failed }}</p>
    <ul>
      <li v-for="account in accounts" :key="account.key" class="account" :data-account="account.key">
        <div class="about">
          <strong>{{ account.key }}</strong>
          <span class="small soft">{{ texts.sources.ways[account.kind] }}, {{ account.camera }}</span>
          <span class="small soft">{{
            account.last ? `${texts.sources.lastArrived} ${dateText(account.last, zone)}` : texts.sources.never
          }}</span>
          <SureButton
            v-if="account.issued"
            :label="texts.sources.renewPassword"
            :about="`${texts.sources.renewPassword}: ${account.key}`"
            :busy="busy !== ''"
            @sure="issue(account.key)"
          />
          <button v-else type="button" class="plain-button small" :aria-disabled="busy !== ''" @click="issue(account.key)">
            {{ texts.sources.issuePassword }}
          </button>
        </div>
        <dl>
          <template v-for="[ name, value ] in rows(account)" :key="name">
            <dt class="small soft">{{ name }}</dt>
            <dd>
              <code>{{ value }}</code>
            </dd>
          </template>
        </dl>
        <p v-if="told?.key === account.key" role="status" class="small">{{ texts.sources.once }}</p>
      </li>
    </ul>
    <form @submit.prevent="make">
      <label class="field">
        {{ texts.sources.camera }}
        <select v-model="form.camera" required>
          <option v-for="camera in list" :key="camera.key" :value="camera.key">{{ camera.title }}</option>
        </select>
      </label>
      <label class="field">
        {{ texts.sources.way }}
        <select v-model="form.kind">
          <option value="upload">{{ texts.sources.ways.upload }}</option>
          <option value="mail">{{ texts.sources.ways.mail }}</option>
        </select>
      </label>
      <label v-if="form.kind === 'upload'" class="field">
        {{ texts.sources.folder }}
        <input v-model.trim="form.folder" autocomplete="off">
      </label>
      <button type="submit" class="plain-button" :disabled="form.camera === ''" :aria-disabled="busy !== ''">
        {{ texts.sources.make }}
      </button>
    </form>
  </section>
</template>

<style scoped>
.made .account {
  display: grid;
  gap: 0.35rem;
}
.about {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 1rem;
  align-items: baseline;
}
dl {
  display: grid;
  grid-template-columns: 6rem minmax(0, 1fr);
  align-items: baseline;
  gap: 0.1rem 1rem;
  margin: 0;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
