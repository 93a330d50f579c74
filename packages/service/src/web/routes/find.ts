import { type Camera, deviceFeeds, type FoundDevice, type SiteDocument } from '@causalis/contract';
import { discover } from '../../intake/onvif/discovery.js';
import { tryPaths } from '../../intake/paths.js';
import { Refusal, unknownItem } from '../../problem.js';
import { secretUses } from '../../secrets/vault.js';
import type { Audit } from '../audit.js';
import type { Handlers, WebParts } from './context.js';

/** The camera of a document that a device is, and whether its address is another there. */
function known(document: SiteDocument, found: FoundDevice): FoundDevice {
  for (const [camera, item] of Object.entries(document.cameras))
    for (const feed of deviceFeeds(item)) {
      const same = new URL(feed.url).host === new URL(found.url).host;
      // A recorder is several cameras under one name: the first stands for it.
      if (feed.device === undefined ? same : feed.device === found.device) return { ...found, camera, ...(same ? {} : { moved: true }) };
    }
  return found;
}

/** Looking for cameras: on the network, at a host, and at another address than before. */
export const findRoutes = ({ clock, sites }: Pick<WebParts, 'clock' | 'sites'>, audit: Audit): Handlers => ({
  found: async ({ site, me, request }) => {
    await audit({ me, request }, site, 'cameras.searched', {});
    return { items: (await discover()).map((one) => known(site.document, one)) };
  },
  paths: async ({ site, body, me, request }) => {
    const { host, user, password } = body;
    await audit({ me, request }, site, 'camera.probed', { host });
    return await tryPaths(
      host,
      { ...(user ? { user } : {}), ...(password === undefined ? {} : { secret: password }) },
      site.cameras.recordings,
    );
  },
  followCamera: async ({ site, params, me, request }) => {
    const { cameras } = site.document;
    if (!Object.hasOwn(cameras, params.key)) throw unknownItem('camera', params.key, Object.keys(cameras));
    const [feed] = deviceFeeds(cameras[params.key]);
    if (!feed?.device) throw new Refusal('no-device-name', { key: params.key });
    const { device } = feed;
    const found = (await discover()).find((one) => one.device === device);
    if (!found) throw new Refusal('device-not-found', { key: params.key, device });
    // All that is this device goes with it: a recorder is several cameras.
    const moved = Object.fromEntries(
      Object.entries(cameras).map(([key, camera]) => {
        const feeds = Object.fromEntries(
          Object.entries(camera.feeds).map(([name, one]) => [
            name,
            one?.kind === 'onvif' && one.device === device ? { ...one, url: found.url } : one,
          ]),
        );
        return [key, { ...camera, feeds } as Camera];
      }),
    );
    const { changed } = await sites.apply({ ...site.document, cameras: moved }, me.name);
    // The device is the same, and an integrator has said so: its password goes there from now on.
    const uses = secretUses(site.document);
    for (const { device: of, password } of Object.values(moved).flatMap(deviceFeeds))
      if (of === device && password) await site.vault.rebind(password.secret, uses.get(password.secret) ?? [], new Date(clock.wall()));
    await audit({ me, request }, site, 'camera.followed', { camera: params.key, url: found.url, changed });
    await site.secretWritten();
    return { revision: site.revision, changed, findings: [], url: found.url };
  },
});
