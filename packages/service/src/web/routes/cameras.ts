import type { CounterReport } from '@causalis/contract';
import { readCounter, watchingInForce } from '@causalis/core';
import { probe } from '../../intake/probe.js';
import { Refusal, unknownItem } from '../../problem.js';
import type { SiteRuntime } from '../../site.js';
import type { Audit } from '../audit.js';
import type { Handlers, WebParts } from './context.js';

/** Cameras: how they are, what they see, what answers at an address, and what their counters say. */
export const cameraRoutes = ({ clock }: WebParts, audit: Audit): Handlers => ({
  cameras: ({ site }) => ({ items: Object.keys(site.document.cameras).map((key) => site.cameraReport(key)) }),
  camera: ({ site, params }) => {
    const { group } = cameraOf(site, params.key);
    return { ...site.cameraReport(params.key), ...(group ? { group } : {}), watching: watchingInForce(site.document, params.key) };
  },
  cameraStill: async ({ site, params, reply }) => {
    cameraOf(site, params.key);
    const picture = await site.watchers.pictureAt(params.key, clock.wall());
    if (!picture) throw new Refusal('no-picture-yet', { key: params.key });
    void reply.type('image/jpeg').header('cache-control', 'no-store').header('last-modified', new Date(picture.at).toUTCString());
    return picture.jpeg;
  },
  probe: async ({ site, body, me, request }) => {
    const { feed, password, channels } = body;
    await audit({ me, request }, site, 'camera.probed', { kind: feed.kind, ...('url' in feed ? { url: feed.url } : {}) });
    const ready = await site.readyFeed(feed, password);
    return 'code' in ready ? { ok: false, code: ready.code, tookMs: 0, profiles: [] } : await probe(ready, channels);
  },
  counters: ({ site }) => ({ items: [...site.engine.site.counters.keys()].map((name) => counterReport(site, name, clock.wall())) }),
  resetCounter: async ({ site, params, me, request }) => {
    const name = `${params.camera}/${params.mark}`;
    const known = [...site.engine.site.counters.keys()];
    if (!known.includes(name)) throw unknownItem('counter', name, known);
    await site.engine.accept({ kind: 'reset', counter: name });
    await audit({ me, request }, site, 'counter.reset', { counter: name });
    return counterReport(site, name, clock.wall());
  },
});

function counterReport(site: SiteRuntime, name: string, wall: number): CounterReport {
  const [camera, mark] = name.split('/');
  const { engine } = site;
  const counts = readCounter({ get: (key) => engine.read(key), entries: () => [] }, engine.site.counters, engine.site.zone, name, wall);
  return {
    camera,
    mark,
    in: counts?.in ?? 0,
    out: counts?.out ?? 0,
    inside: counts?.inside ?? 0,
    ...(counts ? { since: new Date(counts.at).toISOString() } : {}),
  };
}

function cameraOf(site: SiteRuntime, key: string) {
  const { cameras } = site.document;
  if (!Object.hasOwn(cameras, key)) throw unknownItem('camera', key, Object.keys(cameras));
  return cameras[key];
}
