<script setup lang="ts">
import type { SiteDocument } from '@causalis/contract';
import { computed } from 'vue';
import { texts } from '../../texts.js';
import { useSite } from '../../use/at-site.js';
import { useReading } from '../../use/read.js';
import { client } from '../../use/session.js';
import SiteTabs from './SiteTabs.vue';
import TokenList from './TokenList.vue';
import UserList from './UserList.vue';

const { params, may } = useSite();
const mayPeople = may('people');
const document = useReading(async () => (await client.call('document', { params })) as SiteDocument);
const members = computed(() => Object.entries(document.value.value?.members ?? {}));
/** The rules that tell a member. */
const toldBy = (key: string) =>
  Object.values(document.value.value?.rules ?? {})
    .filter(({ actions }) => Object.values(actions).some(({ tell }) => tell?.includes(key)))
    .map(({ title }) => title);
</script>

<template>
  <div class="people">
    <SiteTabs />
    <section>
      <h2>{{ texts.site.members }}</h2>
      <p class="small soft">{{ texts.site.membersHow }}</p>
      <p v-if="document.value.value && members.length === 0">{{ texts.site.noMembers }}</p>
      <ul>
        <li v-for="[ key, member ] in members" :key="key">
          <strong>{{ member.name }}</strong> <code>{{ key }}</code>
          <p class="small">{{ member.ways.map((way) => `${way.mail} over ${way.over}`).join(', ') }}</p>
          <p class="small soft">{{ toldBy(key).join(' · ') }}</p>
        </li>
      </ul>
    </section>
    <template v-if="mayPeople">
      <UserList />
      <TokenList />
    </template>
  </div>
</template>

<style scoped>
.people {
  max-width: 52rem;
  display: grid;
  gap: 2rem;
}
ul {
  list-style: none;
  margin: 0.5rem 0 0;
  padding: 0;
}
li {
  padding: 0.5rem 0;
  border-bottom: 1px solid var(--line);
}
</style>
