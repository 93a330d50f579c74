<script setup lang="ts">
import { darkTheme, NConfigProvider } from 'naive-ui';
import { computed, watch } from 'vue';
import { useRoute } from 'vue-router';
import Shell from './parts/Shell.vue';
import { useSession } from './use/session.js';
import { followSite, stopFollowing } from './use/stream.js';
import { useTheme } from './use/theme.js';

const { dark, overrides } = useTheme();
const { me, site } = useSession();
const route = useRoute();
const inside = computed(() => me.value !== undefined && route.name !== 'sign-in');
watch(
  () => (me.value ? site.value?.key : undefined),
  (key) => (key ? followSite(key) : stopFollowing()),
  { immediate: true },
);
</script>

<template>
  <NConfigProvider :theme="dark ? darkTheme : null" :theme-overrides="overrides" abstract>
    <Shell v-if="inside"><RouterView :key="route.path" /></Shell>
    <RouterView v-else />
  </NConfigProvider>
</template>
