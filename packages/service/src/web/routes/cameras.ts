import {
  type Camera,
  type CounterReport,
  canGive,
  eventKinds,
  eventKindTable,
  type ReplayedMotion,
  type ReplayReport,
  type ReplayRequest,
  type SuggestReport,
} from '@causalis/contract';
import { compareReplays, motionSettings, type ReplayedEvent, readCounter, replay, suggest, watchingInForce } from '@causalis/core';
import { probeFailureText } from '@causalis/words';
import type { FeedFailure, ReadyFeedOf } from '../../intake/feeds/contract.js';
import { readHead } from '../../intake/heads.js';
import { probe } from '../../intake/probe.js';
import { lastOfKinds } from '../../ledger/events.js';
import { Refusal, unknownItem } from '../../problem.js';
import type { SiteRuntime } from '../../site.js';
import type { Audit } from '../audit.js';
import type { Handlers, WebParts } from './context.js';

/** Every kind of event that a camera can give. */
const cameraKinds = eventKinds.filter((kind) => canGive('cameras', kind) && eventKindTable[kind].cause && kind !== 'source.flooding');

/** Cameras: how they are, what they see, what answers at an address, and what their counters say. */
export const cameraRoutes = ({ database, clock }: WebParts, audit: Audit): Handlers => ({
  cameras: ({ site }) => ({ items: Object.keys(site.document.cameras).map((key) => site.cameras.report(key)) }),
  camera: async ({ site, params }) => {
    const { group } = cameraOf(site, params.key);
    const device = site.cameras.devices.of(params.key);
    return {
      ...site.cameras.report(params.key),
      ...(group ? { group } : {}),
      watching: watchingInForce(site.document, params.key),
      ...(device ? { device } : {}),
      seen: await lastOfKinds(database, site.id, params.key, cameraKinds),
    };
  },
  cameraStill: async ({ site, params, reply }) => {
    cameraOf(site, params.key);
    const picture = await site.cameras.watchers.pictureAt(params.key, clock.wall());
    if (!picture) throw new Refusal('no-picture-yet', { key: params.key });
    void reply.type('image/jpeg').header('cache-control', 'no-store').header('last-modified', new Date(picture.at).toUTCString());
    return picture.jpeg;
  },
  probe: async ({ site, body, me, request }) => {
    const { feed, password, channels } = body;
    await audit({ me, request }, site, 'camera.probed', { kind: feed.kind, ...('url' in feed ? { url: feed.url } : {}) });
    const ready = await site.cameras.readyFeed(feed, password);
    return 'code' in ready ? { ok: false, code: ready.code, tookMs: 0, profiles: [] } : await probe(ready, { channels });
  },
  replay: async ({ site, params, body }) => await tryOnRemembered(site, params.key, body, clock.wall()),
  suggest: async ({ site, params, body }) => await suggestFor(site, params.key, body.seconds * 1000, clock.wall()),
  head: async ({ site, params }) => await asHead(params.key, await headOf(site, params.key), readHead),
  steer: async ({ site, params, body, me, request }) => {
    const feed = await headOf(site, params.key);
    const report = await asHead(params.key, feed, () => site.cameras.steering.steer(params.key, body));
    await audit({ me, request }, site, 'camera.steered', { camera: params.key, command: JSON.stringify(body) });
    if (!('save' in body)) await site.cameras.steered(params.key, 'go' in body ? body.go : Object.keys(body)[0], me.name);
    return report;
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

/** The feed over which a camera's head is steered. */
async function headOf(site: SiteRuntime, key: string): Promise<ReadyFeedOf<'onvif'>> {
  cameraOf(site, key);
  const feed = await site.cameras.deviceOf(key).catch((_: FeedFailure) => undefined);
  if (!feed) throw new Refusal('no-head', { key });
  return feed;
}

/** Asks a head; what the camera refuses is a sentence. */
async function asHead<T>(key: string, feed: ReadyFeedOf<'onvif'>, job: (feed: ReadyFeedOf<'onvif'>) => Promise<T>): Promise<T> {
  try {
    return await job(feed);
  } catch (error) {
    const { code, detail } = error as FeedFailure;
    if (/ActionNotSupported|not supported|no head/i.test(detail ?? '')) throw new Refusal('no-head', { key });
    throw new Refusal('camera-refused', { key, reason: probeFailureText({ code, detail }) });
  }
}

const dayMs = 86_400_000;
/** Lists of a replay hold so many of the newest. */
const mostListed = 200;
const iso = (ms: number) => new Date(ms).toISOString();
const replayed = ({ firstMs, lastMs, ...event }: ReplayedEvent): ReplayedMotion => ({ ...event, first: iso(firstMs), last: iso(lastMs) });

/** Tries other marks and values on what is remembered of a camera. */
async function tryOnRemembered(
  site: SiteRuntime,
  key: string,
  { marks, watching, from, to }: ReplayRequest,
  wall: number,
): Promise<ReplayReport> {
  const camera = cameraOf(site, key);
  const group = site.document.groups[camera.group ?? ''];
  const range = { from: from ? Date.parse(from) : wall - dayMs, to: to ? Date.parse(to) : wall };
  const frames = await site.cameras.remembered.read(key, Math.max(range.from, wall - dayMs), range.to);
  const before = replay(frames, motionSettings(camera, group));
  const other = { marks: { ...(marks ?? camera.marks) }, watching: watching ?? camera.watching } as Camera;
  const after = replay(frames, motionSettings(other, group));
  const { stay, come, go } = compareReplays(before.events, after.events);
  const list = (events: readonly ReplayedEvent[]) => events.slice(-mostListed).map(replayed);
  return {
    from: iso(range.from),
    to: iso(range.to),
    pictures: frames.length,
    counts: { before: before.events.length, after: after.events.length, stay: stay.length, come: come.length, go: go.length },
    stay: list(stay),
    come: list(come),
    go: list(go),
    removed: { ...after.removed },
  };
}

/** Values with which the last stretch gives no event, in the spelling of documents. */
async function suggestFor(site: SiteRuntime, key: string, lastMs: number, wall: number): Promise<SuggestReport> {
  const camera = cameraOf(site, key);
  const settings = motionSettings(camera, site.document.groups[camera.group ?? '']);
  const frames = await site.cameras.remembered.read(key, wall - lastMs, wall);
  const { smallest, threshold, atLeastMs } = suggest(frames, settings);
  const share = (value: number) => `${Math.ceil(value * 10_000) / 100}%`;
  return {
    from: iso(wall - lastMs),
    to: iso(wall),
    pictures: frames.length,
    events: replay(frames, settings).events.length,
    watching: {
      ...(smallest === undefined ? {} : { smallest: share(smallest) }),
      ...(threshold === undefined ? {} : { threshold: share(threshold) }),
      ...(atLeastMs === undefined ? {} : { 'at-least': `${Math.ceil(atLeastMs / 100) * 100}ms` }),
    },
  };
}

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
