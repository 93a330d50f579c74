<script setup lang="ts">
import { texts } from '../../texts.js';

const tabs = [
  { to: '/site', name: texts.site.parts.document },
  { to: '/site/revisions', name: texts.site.parts.revisions },
  { to: '/site/people', name: texts.site.parts.people },
  { to: '/site/unfinished', name: texts.site.parts.unfinished },
  { to: '/site/audit', name: texts.site.parts.audit },
];
</script>

<template>
  <header class="tabs">
    <h1>{{ texts.site.title }}</h1>
    <nav aria-label="Parts of the site">
      <RouterLink v-for="tab in tabs" :key="tab.to" :to="tab.to" exact-active-class="here">{{ tab.name }}</RouterLink>
    </nav>
  </header>
</template>
