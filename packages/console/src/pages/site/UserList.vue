<script setup lang="ts">
import type { Role } from '@causalis/contract';
import { dateText } from '@causalis/words';
import { ref } from 'vue';
import SureButton from '../../parts/SureButton.vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useDoing } from '../../use/doing.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';

const roles: readonly Role[] = ['viewer', 'operator', 'integrator'];
const { zone } = useSite();
const users = useReading(() => client.call('users'));
const { busy, failed, run } = useDoing();
const name = ref('');
const role = ref<Role>('viewer');
const told = ref('');

async function add() {
  await run('add', async () => {
    const added = await client.call('addUser', { body: { name: name.value, role: role.value } });
    told.value = `${added.name}: ${added.password ?? ''}`;
    name.value = '';
  });
  await users.again();
}
async function change(user: string, to: Role) {
  await run('role', () => client.call('setUser', { params: { name: user }, body: { role: to } }));
  await users.again();
}
async function remove(user: string) {
  await run('remove', () => client.call('removeUser', { params: { name: user } }));
  await users.again();
}
</script>

<template>
  <section class="made">
    <h2>{{ texts.site.users }}</h2>
    <p class="small soft">{{ texts.site.usersHow }}</p>
    <p v-if="failed || users.error.value" class="failed" role="alert">{{ failed || users.error.value }}</p>
    <ul>
      <li v-for="user in users.value.value?.items ?? []" :key="user.name">
        <strong>{{ user.name }}</strong>
        <select
          :value="user.role"
          :aria-label="`${texts.site.role}: ${user.name}`"
          :aria-disabled="busy !== ''"
          @change="change(user.name, ($event.target as HTMLSelectElement).value as Role)"
        >
          <option v-for="one in roles" :key="one" :value="one">{{ one }}</option>
        </select>
        <span class="small soft since">{{ dateText(user.created, zone) }}</span>
        <SureButton :label="texts.site.remove" :about="`${texts.site.remove} ${user.name}`" :busy="busy !== ''" @sure="remove(user.name)" />
      </li>
    </ul>
    <form @submit.prevent="add">
      <label class="field">{{ texts.site.name }}<input v-model.trim="name" required maxlength="100" autocomplete="off"></label>
      <label class="field">
        {{ texts.site.role }}
        <select v-model="role">
          <option v-for="one in roles" :key="one" :value="one">{{ one }}</option>
        </select>
      </label>
      <button type="submit" class="plain-button" :disabled="name === ''" :aria-disabled="busy !== ''">{{ texts.site.add }}</button>
    </form>
    <p v-if="told" class="told" role="status"><code>{{ told }}</code> {{ texts.site.once }}</p>
  </section>
</template>

<style scoped>
.since {
  flex: 1;
}
li select {
  font: inherit;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0.15rem 0.3rem;
}
@media (max-width: 700px) {
  .since {
    display: none;
  }
}
</style>
