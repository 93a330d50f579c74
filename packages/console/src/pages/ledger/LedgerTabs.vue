<script setup lang="ts">
import { texts } from '../../texts.js';
</script>

<template>
  <header class="tabs">
    <h1>{{ texts.ledger.title }}</h1>
    <nav aria-label="Parts of the ledger">
      <RouterLink to="/ledger" exact-active-class="here">{{ texts.ledger.events }}</RouterLink>
      <RouterLink to="/ledger/deliveries" exact-active-class="here">{{ texts.ledger.deliveries }}</RouterLink>
    </nav>
  </header>
</template>
