<script setup lang="ts">
import { NButton, NInput } from 'naive-ui';
import { ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { texts } from '../../texts.js';
import { sentenceOf, useSession } from '../../use/session.js';

const { signIn } = useSession();
const route = useRoute();
const router = useRouter();
const name = ref('integrator');
const password = ref('');
const failed = ref('');
const busy = ref(false);
async function go() {
  busy.value = true;
  try {
    await signIn(name.value, password.value);
    const then = String(route.query.to ?? '/');
    await router.push(then.startsWith('/') && !then.startsWith('//') ? then : '/');
  } catch (error) {
    failed.value = sentenceOf(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <main class="sign-in">
    <svg viewBox="0 0 32 32" width="44" height="44" role="img" aria-label="Causalis">
      <path d="M5 27C5 17 12 20 16 16S27 15 27 5" fill="none" stroke="currentColor" stroke-width="3" stroke-linecap="round" />
      <circle cx="5" cy="27" r="4" fill="currentColor" />
      <circle cx="27" cy="5" r="3.4" fill="var(--ground)" stroke="currentColor" stroke-width="2.6" />
    </svg>
    <h1>{{ texts.signIn.title }}</h1>
    <form @submit.prevent="go">
      <label
        >{{ texts.signIn.name
        }}<NInput
          v-model:value="name"
          :input-props="{ autocomplete: 'username', name: 'name', 'aria-label': texts.signIn.name }"
          placeholder=""
        /></label
      >
      <label
        >{{ texts.signIn.password
        }}<NInput
          v-model:value="password"
          type="password"
          :input-props="{ autocomplete: 'current-password', name: 'password', 'aria-label': texts.signIn.password }"
          placeholder=""
        /></label
      >
      <p v-if="failed" class="failed" role="alert">{{ failed }}</p>
      <NButton type="primary" attr-type="submit" :loading="busy" :disabled="password === ''">{{ texts.signIn.go }}</NButton>
    </form>
    <p class="soft small">{{ texts.signIn.hint }}</p>
  </main>
</template>

<style scoped>
.sign-in {
  max-width: 22rem;
  margin: 14vh auto 0;
  padding: 0 1.25rem;
  display: grid;
  gap: 1rem;
}
svg {
  color: var(--thread);
}
form {
  display: grid;
  gap: 0.9rem;
}
label {
  display: grid;
  gap: 0.25rem;
}
.failed {
  color: var(--urgent);
}
</style>
