/** One process carries this many cameras at most: when it ends, no more are without pictures for a moment. */
const most = 32;
/** So many are worth a process of their own, as long as there is a processor for it: each costs some memory. */
const worth = 8;

/**
 * Spreads cameras over processes: which process, counted from 0, carries which camera. A camera stays where it was in
 * `before`, because it would have to learn its background anew; who comes goes where the fewest are. A process that
 * has become empty is given up when it is the last.
 */
export function spread(cameras: readonly string[], before: ReadonlyMap<string, number>, processors: number): Map<string, number> {
  const stays = cameras.flatMap((camera) => {
    const at = before.get(camera);
    return at === undefined ? [] : [[camera, at] as const];
  });
  const wanted = Math.max(Math.ceil(cameras.length / most), Math.min(processors, Math.ceil(cameras.length / worth)));
  const loads = new Array<number>(stays.reduce((count, [, at]) => Math.max(count, at + 1), wanted)).fill(0);
  for (const [, at] of stays) loads[at]++;
  const spreadOut = new Map(stays);
  for (const camera of cameras) {
    if (spreadOut.has(camera)) continue;
    const at = loads.indexOf(Math.min(...loads));
    loads[at]++;
    spreadOut.set(camera, at);
  }
  return spreadOut;
}
