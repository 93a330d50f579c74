<script setup lang="ts">
import { dateText } from '@causalis/words';
import { ref } from 'vue';
import SureButton from '../../parts/SureButton.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';

const { zone } = useSite();
const tokens = useReading(() => client.call('tokens'));
const { busy, failed, run } = useDoing();
const name = ref('');
const days = ref('');
const told = ref('');

async function issue() {
  await run('issue', async () => {
    const issued = await client.call('issueToken', { body: { name: name.value, ...(days.value ? { days: Number(days.value) } : {}) } });
    told.value = issued.token;
    name.value = '';
  });
  await tokens.again();
}
async function revoke(id: string) {
  await run('revoke', () => client.call('revokeToken', { params: { id } }));
  await tokens.again();
}
</script>

<template>
  <section class="made">
    <h2>{{ texts.site.tokens }}</h2>
    <p class="small soft">{{ texts.site.tokensHow }}</p>
    <p v-if="failed || tokens.error.value" class="failed" role="alert">{{ failed || tokens.error.value }}</p>
    <ul>
      <li v-for="token in tokens.value.value?.items ?? []" :key="token.id">
        <strong>{{ token.name }}</strong>
        <span class="small soft about"
          >{{ token.user }}, {{ token.permissions.join(', ') }}{{ token.site ? ` (${token.site})` : '' }};
          {{ token.expires ? `${texts.site.ends} ${dateText(token.expires, zone)}` : texts.site.neverEnds }}</span
        >
        <SureButton :label="texts.site.revoke" :about="`${texts.site.revoke} ${token.name}`" :busy="busy !== ''" @sure="revoke(token.id)" />
      </li>
    </ul>
    <form @submit.prevent="issue">
      <label class="field">{{ texts.site.name }}<input v-model.trim="name" required maxlength="100" autocomplete="off"></label>
      <label class="field">{{ texts.site.days }}<input v-model.trim="days" inputmode="numeric" pattern="[0-9]*" autocomplete="off"></label>
      <button type="submit" class="plain-button" :disabled="name === ''" :aria-disabled="busy !== ''">{{ texts.site.issue }}</button>
    </form>
    <p v-if="told" class="told" role="status"><code>{{ told }}</code> {{ texts.site.once }}</p>
  </section>
</template>

<style scoped>
.about {
  flex: 1;
}
</style>
