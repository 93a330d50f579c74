<script setup lang="ts">
import { clockText } from '@causalis/words';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { texts } from '../texts.js';
import { useSession } from '../use/session.js';
import { useSound } from '../use/sound.js';
import { useStream } from '../use/stream.js';
import { useTheme } from '../use/theme.js';
import ModeChoice from './ModeChoice.vue';
import UrgentNotice from './UrgentNotice.vue';

const { me, site, signOut } = useSession();
const { connected, lostSince } = useStream();
const { dark, toggle } = useTheme();
const { sound, toggleSound } = useSound();
const route = useRoute();
const router = useRouter();
const places = [
  {
    to: '/',
    name: texts.places.watch,
    icon: 'M2 10s3-5.5 8-5.5S18 10 18 10s-3 5.5-8 5.5S2 10 2 10z M10 7.6a2.4 2.4 0 1 0 0 4.8 2.4 2.4 0 0 0 0-4.8z',
  },
  { to: '/cameras', name: texts.places.cameras, icon: 'M2 6h11v8H2z M13 9l5-3v8l-5-3' },
  { to: '/outputs', name: texts.places.outputs, icon: 'M3 10h10M9.5 6l4 4-4 4M17 4v12' },
  { to: '/rules', name: texts.places.rules, icon: 'M3 15c4 0 3-10 7-10s3 10 7 10' },
  { to: '/ledger', name: texts.places.ledger, icon: 'M5 3v14M5 6h4M5 10h9M5 14h6' },
  { to: '/site', name: texts.places.site, icon: 'M4 17V8l6-5 6 5v9z M8 17v-5h4v5' },
];
/** What reports beside pictures is reached from the cameras. */
const here = (to: string) =>
  to === '/' ? route.path === '/' : route.path.startsWith(to) || (to === '/cameras' && route.path === '/sources');
const lost = computed(() =>
  lostSince.value && site.value ? texts.lost(clockText(lostSince.value.toISOString(), site.value.timezone)) : '',
);
async function leave() {
  await signOut();
  await router.push('/sign-in');
}
</script>

<template>
  <a class="skip" href="#page">{{ texts.skip }}</a>
  <div class="shell">
    <nav class="rail" aria-label="Places">
      <svg class="mark" viewBox="0 0 32 32" width="30" height="30" role="img" aria-label="Causalis">
        <path d="M5 27C5 17 12 20 16 16S27 15 27 5" fill="none" stroke="currentColor" stroke-width="3" stroke-linecap="round" />
        <circle cx="5" cy="27" r="4" fill="currentColor" />
        <circle cx="27" cy="5" r="3.4" fill="var(--ground)" stroke="currentColor" stroke-width="2.6" />
      </svg>
      <RouterLink
        v-for="place in places"
        :key="place.to"
        :to="place.to"
        :class="{ here: here(place.to) }"
        :aria-current="here(place.to) ? 'page' : undefined"
      >
        <svg viewBox="0 0 20 20" width="22" height="22" aria-hidden="true">
          <path :d="place.icon" fill="none" stroke="currentColor" stroke-width="1.6" stroke-linecap="round" stroke-linejoin="round" />
        </svg>
        <span>{{ place.name }}</span>
      </RouterLink>
    </nav>
    <div class="rest">
      <header>
        <strong class="site">{{ site?.name ?? 'Causalis' }}</strong>
        <ModeChoice v-if="site" />
        <span class="gap" />
        <button type="button" class="quiet" :aria-pressed="sound" @click="toggleSound">
          {{ sound ? texts.sound.on : texts.sound.off }}
        </button>
        <button type="button" class="quiet" @click="toggle">{{ dark ? texts.theme.light : texts.theme.dark }}</button>
        <span class="who small soft">{{ me?.name }}</span>
        <button type="button" class="quiet" @click="leave">{{ texts.signOut }}</button>
      </header>
      <div v-if="!connected" class="lost" role="status">{{ lost }}</div>
      <UrgentNotice v-if="site" />
      <main id="page" tabindex="-1">
        <slot v-if="site" />
        <section v-else class="no-site">
          <h1>{{ texts.noSite.title }}</h1>
          <p>{{ texts.noSite.what }}</p>
          <pre><code>{{ texts.noSite.how }}</code></pre>
        </section>
      </main>
    </div>
  </div>
</template>

<style scoped>
.skip {
  position: absolute;
  left: -999px;
  padding: 0.5rem 1rem;
  background: var(--sheet);
  z-index: 10;
}
.skip:focus {
  left: 0.5rem;
  top: 0.5rem;
}
.shell {
  display: grid;
  grid-template-columns: 5rem 1fr;
  min-height: 100vh;
}
.rail {
  border-right: 1px solid var(--line);
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 0.25rem;
  padding: 1rem 0;
  position: sticky;
  top: 0;
  height: 100vh;
}
.mark {
  color: var(--thread);
  margin-bottom: 1rem;
}
.rail a {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 0.15rem;
  width: 100%;
  padding: 0.6rem 0;
  color: var(--soft);
  text-decoration: none;
  font-size: 0.8125rem;
  border-left: 3px solid transparent;
}
.rail a.here {
  color: var(--ink);
  border-left-color: var(--thread);
}
.rail a:hover {
  color: var(--thread);
}
header {
  display: flex;
  align-items: center;
  gap: 1rem;
  padding: 0.6rem 1.5rem;
  border-bottom: 1px solid var(--line);
  min-height: 3.4rem;
}
.site {
  font-weight: 620;
}
.gap {
  flex: 1;
}
.quiet {
  border: 0;
  background: none;
  color: var(--soft);
  cursor: pointer;
  font-size: 0.8125rem;
  padding: 0.3rem;
}
.quiet:hover {
  color: var(--thread);
}
.lost {
  padding: 0.5rem 1.5rem;
  border-bottom: 1px solid var(--important);
  color: var(--important);
}
main {
  padding: 1.5rem;
  outline: none;
}
.no-site {
  max-width: 34rem;
  display: grid;
  gap: 0.75rem;
}
@media (max-width: 700px) {
  .shell {
    grid-template-columns: 1fr;
    padding-bottom: 4rem;
  }
  .rail {
    position: fixed;
    inset: auto 0 0 0;
    top: auto;
    height: 4rem;
    flex-direction: row;
    background: var(--ground);
    border-right: 0;
    border-top: 1px solid var(--line);
    padding: 0;
    z-index: 5;
  }
  .mark,
  .who {
    display: none;
  }
  .rail a {
    border-left: 0;
    border-top: 3px solid transparent;
  }
  .rail a.here {
    border-top-color: var(--thread);
  }
  header {
    padding: 0.5rem 1rem;
    gap: 0.3rem;
    flex-wrap: wrap;
  }
  .site {
    flex-basis: 100%;
  }
  main {
    padding: 1rem;
  }
}
@media print {
  .rail,
  header,
  .lost {
    display: none;
  }
  .shell {
    display: block;
  }
}
</style>
