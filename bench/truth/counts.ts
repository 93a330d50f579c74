import { readFileSync } from 'node:fs';
import { type MotionDetector, motionDetector, motionSettings, ObjectWatch, objectSettings, Tracker } from '@causalis/core';
import { readDocument } from '@causalis/document';
import { feetAt, heronsAt, makePlace, makeScene, type PlaceSpec, places, Recogniser, toJpeg, vanAt, vansOf } from '@causalis/standins';
import jpeg from '@julusian/jpeg-turbo';
import { Pool } from 'undici';
import type { Figure } from '../figure.js';
import { kernelSteps } from '../frames.js';

const everyMs = 200;
const size = { width: 640, height: 360 };
const seed = 7_100;
/** Before the first visitor both detectors have seen the place. */
const beginMs = 15_000;

type Answer = { readonly objects: readonly { label: string; sure: number; box: [number, number, number, number] }[] };

/** The stand-in recogniser, asked as a camera asks it. */
class Asked {
  private readonly recogniser: Recogniser;
  private readonly pool: Pool;

  private constructor(recogniser: Recogniser) {
    this.recogniser = recogniser;
    this.pool = new Pool(`http://127.0.0.1:${recogniser.port}`);
  }

  static async open(): Promise<Asked> {
    return new Asked(await Recogniser.start({ port: 0 }));
  }

  async about(picture: Buffer): Promise<Answer['objects']> {
    const answer = await this.pool.request({ method: 'POST', path: '/look', headers: { 'content-type': 'image/jpeg' }, body: picture });
    return ((await answer.body.json()) as Answer).objects;
  }

  async close(): Promise<void> {
    await this.pool.close();
    await this.recogniser.stop();
  }
}

function demonstration() {
  const read = readDocument(readFileSync(new URL('../../../demo/quillmere.yaml', import.meta.url), 'utf8'));
  if (!('value' in read)) throw new Error('the demonstration cannot be read');
  return read.value;
}

/** How long from one visitor to the next: who comes nearer to the camera is tall, and must not touch whoever is before them on the picture. */
const visits = [10_000, 12_000] as const;

/** Visitors come in by one lane and go out by another beside it: on the picture each is a body apart from the next. */
const twoLanes: PlaceSpec = {
  ...places['palm-house'],
  ways: [
    [
      [0.42, 0.56],
      [0.4, 0.75],
      [0.3, 1.4],
    ],
    [
      [0.7, 1.4],
      [0.6, 0.75],
      [0.58, 0.56],
    ],
  ],
  visits,
};

const sees = (detector: MotionDetector, picture: Buffer, timeMs: number) => {
  const { data, width, height } = jpeg.decompressSync(picture, { format: jpeg.FORMAT_GRAY });
  return detector.see({ width, height, bytes: data, timeMs });
};

/** Visitors counted at the door of the palm house, by the recogniser and by motion alone. */
export async function counts(visitors: number): Promise<Figure[]> {
  const camera = demonstration().cameras['palm-house'];
  const lengthMs = (visitors * (visits[0] + visits[1])) / 2 + 40_000;
  const place = await makePlace(twoLanes, { seed, ...size, lengthMs: lengthMs - 20_000, hourAt: () => 11 });
  const detector = motionDetector(motionSettings(camera), await kernelSteps());
  const named = new Tracker({ forgetMs: 2_500, reach: 1.2 });
  const [byMotion, byName] = [new ObjectWatch(objectSettings(camera)), new ObjectWatch(objectSettings(camera))];
  const asked = await Asked.open();
  const said = { motion: { in: 0, out: 0 }, named: { in: 0, out: 0 } };
  for (let t = 0; t < lengthMs; t += everyMs) {
    const picture = toJpeg(place.paint(t), size.width, size.height);
    const look = sees(detector, picture, t);
    const { of, ended } = named.see(
      (await asked.about(picture)).filter(({ label, sure }) => label === 'person' && sure >= 0.65),
      t,
    );
    const found = [
      ['motion', byMotion.see(look.settling ? [] : detector.things, detector.gone, t)],
      ['named', byName.see(of, ended, t)],
    ] as const;
    for (const [how, changes] of found)
      for (const { kind, mark, direction } of changes) if (kind === 'crossed' && mark === 'door' && direction) said[how][direction]++;
  }
  await asked.close();
  const truth = {
    in: place.visits.filter(({ way }) => way === 0).length,
    out: place.visits.filter(({ way }) => way === 1).length,
  };
  const share = ({ in: inwards, out }: { in: number; out: number }) =>
    1 - (Math.abs(inwards - truth.in) + Math.abs(out - truth.out)) / (truth.in + truth.out);
  const figure = (name: string, one: { in: number; out: number }, aim: number): Figure => ({
    name,
    ours: `${one.in} in, ${one.out} out: ${(share(one) * 100).toFixed(1)} %`,
    beside: `${truth.in} in, ${truth.out} out`,
    aim: aim === 1 ? 'exact' : `≥ ${aim * 100} %`,
    met: share(one) >= aim,
    n: truth.in + truth.out,
  });
  return [
    figure('visitors counted with the recogniser, a body apart', said.named, 1),
    figure('visitors counted with motion alone, a body apart', said.motion, 0.95),
  ];
}

/** A thing of the truth at a moment: what it is, a name of its own, and its box (left, top, right, foot). */
interface True {
  readonly label: string;
  readonly name: string;
  readonly box: readonly [number, number, number, number];
  /** All of it is on the picture: it is asked for. */
  readonly whole: boolean;
}

/** What is named in scenes of persons, vehicles and animals, thing by thing. */
export async function labels(minutes: number): Promise<Figure[]> {
  const lengthMs = minutes * 60_000;
  const vans = vansOf(seed, lengthMs);
  const gate = await makeScene({ seed, ...size, lengthMs, hourAt: () => 12, conditions: { empty: true } });
  const palm = await makePlace(places['palm-house'], { seed, ...size, lengthMs, hourAt: () => 11 });
  const pond = await makePlace({ ...places['lily-pond'], visits: undefined }, { seed, ...size, lengthMs, hourAt: () => 14 });
  const { high } = places['palm-house'];
  const scenes: readonly { paint(t: number): Buffer; truth(t: number): True[] }[] = [
    {
      paint: (t) => palm.paint(t),
      truth: (t) =>
        palm.visits.flatMap((visit, i) => {
          const at = feetAt(visit, t);
          if (!at) return [];
          const tall = high(at[1]);
          const box = [at[0] - tall * 0.2, at[1] - tall, at[0] + tall * 0.2, at[1]] as const;
          return [{ label: 'person', name: `visitor ${i}`, box, whole: at[1] < 0.99 }];
        }),
    },
    {
      paint: (t) => gate.paint(t),
      truth: (t) =>
        vans.flatMap((van, i) => {
          const box = vanAt(van, t);
          return box ? [{ label: 'vehicle', name: `van ${i}`, box, whole: box[0] > 0 && box[2] < 1 }] : [];
        }),
    },
    {
      paint: (t) => pond.paint(t),
      // The same three are asked about anew every half minute.
      truth: (t) =>
        heronsAt(t, seed).map(({ x, y, tall }, i) => ({
          label: 'animal',
          name: `heron ${i} ${Math.floor(t / 30_000)}`,
          box: [x - tall * 0.2, y - tall, x + tall * 0.3, y],
          whole: true,
        })),
    },
  ];
  const seen = new Map<string, { label: string; said: Map<string, number> }>();
  let strangers = 0;
  for (const scene of scenes) {
    const asked = await Asked.open();
    const tracker = new Tracker({ forgetMs: 2_500, reach: 1.2 });
    const strange = new Set<number>();
    for (let t = 0; t < lengthMs; t += everyMs) {
      const { of } = tracker.see(await asked.about(toJpeg(scene.paint(t), size.width, size.height)), t);
      if (t < beginMs) continue;
      const truth = scene.truth(t);
      for (const one of truth) if (one.whole && !seen.has(one.name)) seen.set(one.name, { label: one.label, said: new Map() });
      for (const { id, label = '', box, seen: times } of of) {
        if (times < 3) continue;
        const [x, y] = [box[0] + box[2] / 2, box[1] + box[3] / 2];
        const whose = truth.find(({ box: [left, top, right, foot] }) => x >= left && x <= right && y >= top && y <= foot);
        const one = whose?.whole ? seen.get(whose.name) : undefined;
        if (one) one.said.set(label, (one.said.get(label) ?? 0) + 1);
        else if (truth.length === 0) strange.add(id);
      }
    }
    strangers += strange.size;
    await asked.close();
  }
  return ['person', 'vehicle', 'animal'].map((label) => {
    const things = [...seen.values()].filter((one) => one.label === label);
    const mostly = things.map(({ said }) => [...said].sort((a, b) => b[1] - a[1])[0]?.[0]);
    const right = mostly.filter((one) => one === label).length;
    const unseen = mostly.filter((one) => one === undefined).length;
    return {
      name: `label ${label}`,
      ours: `${right} of ${things.length} named so, ${things.length - right - unseen} otherwise, ${unseen} not seen`,
      beside: `${things.length} of the scene; in all three scenes ${strangers} things named where nobody was`,
      aim: '≥ 95 %',
      met: right >= things.length * 0.95,
      n: things.length,
    };
  });
}
