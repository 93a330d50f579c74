<script setup lang="ts">
import { texts } from '../../texts.js';
</script>

<template>
  <header class="ledger">
    <h1>{{ texts.ledger.title }}</h1>
    <nav aria-label="Parts of the ledger">
      <RouterLink to="/ledger" exact-active-class="here">{{ texts.ledger.events }}</RouterLink>
      <RouterLink to="/ledger/deliveries" exact-active-class="here">{{ texts.ledger.deliveries }}</RouterLink>
    </nav>
  </header>
</template>

<style scoped>
.ledger {
  display: flex;
  align-items: baseline;
  gap: 2rem;
  margin-bottom: 1rem;
}
nav {
  display: flex;
  gap: 1.25rem;
}
a {
  text-decoration: none;
  color: var(--soft);
  padding-bottom: 0.2rem;
}
.here {
  color: var(--ink);
  border-bottom: 2px solid var(--thread);
}
</style>
