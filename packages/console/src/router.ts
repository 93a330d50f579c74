import { createRouter, createWebHistory } from 'vue-router';
import { useSession } from './use/session.js';

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'watch', component: () => import('./pages/watch/WatchPage.vue') },
    { path: '/cameras', name: 'cameras', component: () => import('./pages/cameras/CamerasPage.vue') },
    { path: '/cameras/new', name: 'add-camera', component: () => import('./pages/cameras/AddCameraPage.vue') },
    { path: '/cameras/:camera', name: 'camera', component: () => import('./pages/cameras/SetCameraPage.vue'), props: true },
    { path: '/cameras/:camera/walk', name: 'walk', component: () => import('./pages/cameras/WalkPage.vue'), props: true },
    { path: '/sources', name: 'sources', component: () => import('./pages/sources/SourcesPage.vue') },
    { path: '/rules', name: 'rules', component: () => import('./pages/rules/RulesPage.vue') },
    { path: '/outputs', name: 'outputs', component: () => import('./pages/outputs/OutputsPage.vue') },
    { path: '/ledger', name: 'events', component: () => import('./pages/ledger/EventsPage.vue') },
    { path: '/ledger/deliveries', name: 'deliveries', component: () => import('./pages/ledger/DeliveriesPage.vue') },
    { path: '/ledger/events/:id', name: 'chain', component: () => import('./pages/chain/ChainPage.vue'), props: true },
    { path: '/site', name: 'document', component: () => import('./pages/site/DocumentPage.vue') },
    { path: '/site/revisions', name: 'revisions', component: () => import('./pages/site/RevisionsPage.vue') },
    { path: '/site/people', name: 'people', component: () => import('./pages/site/PeoplePage.vue') },
    { path: '/site/unfinished', name: 'unfinished', component: () => import('./pages/site/UnfinishedPage.vue') },
    { path: '/site/audit', name: 'audit', component: () => import('./pages/site/AuditPage.vue') },
    { path: '/sign-in', name: 'sign-in', component: () => import('./pages/sign-in/SignInPage.vue') },
    { path: '/:rest(.*)', redirect: '/' },
  ],
  scrollBehavior: (_, __, saved) => saved ?? { top: 0 },
});

router.beforeEach(async (to) => {
  const { me, known, load } = useSession();
  if (!known.value) await load().catch(() => undefined);
  if (to.name !== 'sign-in' && !me.value) return { name: 'sign-in', query: to.fullPath === '/' ? {} : { to: to.fullPath } };
  return true;
});
