import { makeScene } from '../gatehouse/scene.js';
import { spoil } from './conditions.js';
import { lilyPond } from './lily-pond.js';
import { mast } from './mast.js';
import { nursery } from './nursery.js';
import { palmHouse } from './palm-house.js';
import { makePlace, type Place, type PlaceOptions, type PlaceSpec } from './place.js';
import { seedVault } from './seed-vault.js';

/** Every place of the garden, beside the gatehouse whose scene is older. */
export const places = {
  'palm-house': palmHouse,
  mast,
  'lily-pond': lilyPond,
  'seed-vault': seedVault,
  nursery,
} satisfies Record<string, PlaceSpec>;
export type PlaceName = keyof typeof places | 'gatehouse';

/** Makes a place by its name. */
export async function placeAt(name: PlaceName, options: PlaceOptions): Promise<Place> {
  if (name !== 'gatehouse') return await makePlace(places[name], options);
  const scene = await makeScene(options);
  const { width, height } = scene;
  let frozen: Buffer | undefined;
  return {
    width,
    height,
    visits: [],
    paint(t) {
      const { conditions = {} } = options;
      if (conditions.frozen && frozen) return frozen;
      const bytes = scene.paint(t);
      spoil({ width, height, bytes }, t, options.seed, conditions);
      frozen = conditions.frozen ? Buffer.from(bytes) : undefined;
      return bytes;
    },
  };
}
