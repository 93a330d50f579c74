import { feetAt, makePlace, makeScene, type Passage, type PlaceSpec, places, type Spacing } from '@causalis/standins';

/** One scene of the trial: what is watched, and what is true of it. */
export interface TrialScene {
  /** Camera of the demonstration whose marks and values hold, and the zone that is asked about. */
  readonly camera: string;
  readonly zone: string;
  readonly hour: number;
  /** What happens beside: each is called before the picture of a moment is painted. */
  readonly place?: keyof typeof places;
  readonly rain?: boolean;
  /** The lamp is switched this often, ms. */
  readonly lampMs?: number;
}

/** Eight scenes; those of the last four also have hours without anybody, in which nothing may count. */
export const trialScenes: Readonly<Record<string, TrialScene>> = {
  day: { camera: 'gatehouse', zone: 'drive', hour: 12 },
  dusk: { camera: 'gatehouse', zone: 'drive', hour: 18.6 },
  night: { camera: 'gatehouse', zone: 'drive', hour: 2 },
  rain: { camera: 'nursery', zone: 'picture', hour: 10, place: 'nursery', rain: true },
  water: { camera: 'lily-pond', zone: 'plank', hour: 14, place: 'lily-pond' },
  sway: { camera: 'gatehouse', zone: 'drive', hour: 9 },
  lamp: { camera: 'seed-vault', zone: 'corridor', hour: 12, place: 'seed-vault', lampMs: 37_000 },
  clouds: { camera: 'gatehouse', zone: 'drive', hour: 15 },
};
export const calmScenes = ['water', 'sway', 'lamp', 'clouds'] as const;

/** People follow each other closely. */
const close: Spacing = { shortest: 12_000, longest: 18_000, between: 9_000 };
/** Nobody comes. */
const nobody: Spacing = { shortest: 1e12, longest: 1e12, between: 1e12 };

export interface AtTrial {
  readonly width: number;
  readonly height: number;
  readonly passages: readonly Passage[];
  paint(t: number): Buffer;
}

const size = { width: 640, height: 360 };
type Inside = (feet: readonly [number, number]) => boolean;

/** Makes a scene with its truth: when somebody's feet are where the zone is. */
export async function openScene(scene: TrialScene, seed: number, lengthMs: number, empty: boolean, inside: Inside): Promise<AtTrial> {
  const { hour } = scene;
  if (!scene.place) {
    const made = await makeScene({ seed, ...size, lengthMs, hourAt: () => hour, spacing: empty ? nobody : close });
    // The first walker of an empty hour is painted over by beginning after them.
    return { ...size, passages: empty ? [] : made.passages, paint: (t) => made.paint(empty ? t + 120_000 : t) };
  }
  const conditions = { rain: scene.rain ?? false, lamp: true, herons: true };
  const { visits: _, ...still } = places[scene.place] as PlaceSpec;
  const spec: PlaceSpec = empty ? still : { ...still, visits: [14_000, 22_000] };
  const made = await makePlace(spec, { seed, ...size, lengthMs, hourAt: () => hour, conditions });
  const passages = made.visits.flatMap((visit): Passage[] => {
    const times: number[] = [];
    for (let t = visit.walker.from; t <= visit.walker.to; t += 20) {
      const feet = feetAt(visit, t);
      if (feet && inside(feet)) times.push(t);
    }
    return times.length === 0 ? [] : [{ from: times[0], to: times[times.length - 1] }];
  });
  return {
    ...size,
    passages,
    paint(t) {
      if (scene.lampMs) conditions.lamp = Math.floor(t / scene.lampMs) % 2 === 0;
      return made.paint(t);
    },
  };
}
