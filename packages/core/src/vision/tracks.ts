import type { Box } from '@causalis/contract';
import { assign } from './assignment.js';

/** Something seen on one picture: a blob, or what a recogniser has named. */
export interface Sighting {
  readonly box: Box;
  readonly label?: string;
  /** The recogniser's confidence, 0 to 1. */
  readonly sure?: number;
}

/** One thing followed over time. Positions are shares of the picture, times ms, speeds shares a ms. */
export interface Track {
  readonly id: number;
  box: Box;
  readonly firstMs: number;
  /** When it was last seen. */
  lastMs: number;
  /** How often it was seen. */
  seen: number;
  /** Which way its foot has gone since it was first seen, without the jumps of a thing that falls apart or joins another; and how far it has been. */
  gone: readonly [number, number];
  travelled: number;
  /** How steadily it was seen lately, 0 to 6: picture after picture, in about the same size. What rain draws is not. */
  steady: number;
  /** It was not on the picture before. */
  missed: boolean;
  /** The box's speed: middle and size. */
  speed: readonly [number, number, number, number];
  label?: string;
  sure?: number;
  /** How often each label was said, weighed by its confidence: the first among them is the track's. */
  readonly votes: Map<string, number>;
}

export interface TrackingSettings {
  /** A track that was not seen for this long is over. */
  readonly forgetMs: number;
  /** How far from where it is expected a thing may be, in its own sizes. */
  readonly reach: number;
}

/** How much of a new speed is believed. */
const newSpeed = 0.4;
/** Beyond this a box that is called otherwise is another thing. */
const otherLabelCost = 0.8;

/** Between two pictures a thing keeps this share of its width and height; otherwise its middle says nothing of where it goes. */
const sameSize = 0.7;
/** It goes on when it is this close, in its own sizes, to where it was or to where it was expected; what is further away was something else. */
const goesOnWithin = 0.6;

/** Smaller than this, a box's own size says nothing of how far it jumps. */
const leastSize = 0.01;

const middle = ([x, y, w, h]: Box): readonly [number, number] => [x + w / 2, y + h / 2];

/** Where a track is expected at a time, at constant velocity. */
export function expected(track: Track, timeMs: number): Box {
  const since = Math.min(1_500, timeMs - track.lastMs);
  const [vx, vy] = track.speed;
  const [x, y, w, h] = track.box;
  return [x + vx * since, y + vy * since, w, h];
}

/** Share of the first box that lies in the second. */
export function shared(a: Box, b: Box): number {
  const wide = Math.min(a[0] + a[2], b[0] + b[2]) - Math.max(a[0], b[0]);
  const high = Math.min(a[1] + a[3], b[1] + b[3]) - Math.max(a[1], b[1]);
  return wide <= 0 || high <= 0 ? 0 : (wide * high) / (a[2] * a[3]);
}

/** Share that two boxes have in common of all that they cover. */
export function overlap(a: Box, b: Box): number {
  const common = shared(a, b) * a[2] * a[3];
  return common / (a[2] * a[3] + b[2] * b[3] - common);
}

/**
 * Follows things from picture to picture: constant-velocity prediction, then the optimal assignment of sightings to
 * tracks by distance and overlap (after SORT, Bewley et al. 2016, with an α-β filter in the place of Kalman's). A
 * track is born with its first sighting and dies when it was not seen for `forgetMs`.
 */
export class Tracker {
  private readonly settings: TrackingSettings;
  private list: Track[] = [];
  private next = 1;

  constructor(settings: TrackingSettings) {
    this.settings = settings;
  }

  get tracks(): readonly Track[] {
    return this.list;
  }

  /** Takes one picture's sightings; returns the track of each, and those that ended. */
  see(sightings: readonly Sighting[], timeMs: number): { readonly of: Track[]; readonly ended: Track[] } {
    const ended = this.list.filter(({ lastMs }) => timeMs - lastMs > this.settings.forgetMs);
    this.list = this.list.filter((track) => !ended.includes(track));
    const tracks = this.list;
    const cost = tracks.map((track) => {
      const at = expected(track, timeMs);
      return sightings.map((sighting) => this.cost(track, at, sighting));
    });
    if (sightings.length === 0) for (const track of tracks) track.missed = true;
    const chosen = sightings.length === 0 ? [] : assign(cost);
    const of = new Array<Track>(sightings.length);
    chosen.forEach((index, i) => {
      if (index < 0) {
        tracks[i].missed = true;
        return;
      }
      move(tracks[i], sightings[index], timeMs);
      of[index] = tracks[i];
    });
    sightings.forEach((sighting, i) => {
      of[i] ??= this.begin(sighting, timeMs);
    });
    return { of, ended };
  }

  /** Forgets all; those that were followed are over. */
  reset(): Track[] {
    const ended = this.list;
    this.list = [];
    return ended;
  }

  private cost(track: Track, at: Box, { box, label }: Sighting): number {
    const [ax, ay] = middle(at);
    const [bx, by] = middle(box);
    // Distance in sizes of the smaller of the two: a blob that falls apart or joins another is no jump.
    const size = Math.max(0.02, Math.min(Math.max(at[2], at[3]), Math.max(box[2], box[3])));
    const far = Math.hypot(ax - bx, ay - by) / size;
    const common = overlap(at, box);
    if (far > this.settings.reach && common === 0) return Number.POSITIVE_INFINITY;
    return Math.min(far, this.settings.reach) + (1 - common) + (label && track.label && label !== track.label ? otherLabelCost : 0);
  }

  private begin({ box, label, sure }: Sighting, timeMs: number): Track {
    const track: Track = {
      id: this.next++,
      box,
      firstMs: timeMs,
      lastMs: timeMs,
      seen: 1,
      gone: [0, 0],
      travelled: 0,
      steady: 0,
      missed: false,
      speed: [0, 0, 0, 0],
      votes: new Map(),
    };
    vote(track, label, sure);
    this.list.push(track);
    return track;
  }
}

function vote(track: Track, label: string | undefined, sure = 1): void {
  if (label === undefined) return;
  track.votes.set(label, (track.votes.get(label) ?? 0) + sure);
  const [first] = [...track.votes].sort((a, b) => b[1] - a[1]);
  if (first[0] !== track.label) track.sure = undefined;
  track.label = first[0];
  if (label === track.label) track.sure = Math.max(track.sure ?? 0, sure);
}

/** Whether two boxes' middles are closer than a part of their size, across and down. */
function isNear(a: Box, b: Box): boolean {
  const [[ax, ay], [bx, by]] = [middle(a), middle(b)];
  return [
    [bx - ax, a[2], b[2]],
    [by - ay, a[3], b[3]],
  ].every(([far, one, other]) => Math.abs(far) <= Math.max(one, other, leastSize) * goesOnWithin);
}

function move(track: Track, { box, label, sure }: Sighting, timeMs: number): void {
  const since = Math.max(1, timeMs - track.lastMs);
  const [x0, y0] = middle(track.box);
  const [x1, y1] = middle(box);
  const now = [(x1 - x0) / since, (y1 - y0) / since, (box[2] - track.box[2]) / since, (box[3] - track.box[3]) / since];
  const weight = track.seen === 1 ? 1 : newSpeed;
  const goesOn = isNear(track.box, box) || isNear(expected(track, timeMs), box);
  track.speed = track.speed.map((value, i) => value + (now[i] - value) * weight) as unknown as Track['speed'];
  const alike = (a: number, b: number) => Math.min(a, b) > Math.max(a, b) * sameSize;
  const same = alike(box[2], track.box[2]) && alike(box[3], track.box[3]);
  track.steady = same && !track.missed ? Math.min(6, track.steady + 1) : Math.max(0, track.steady - 2);
  track.missed = false;
  // By the foot: who comes nearer grows more than their middle moves. Leaves that move here and there are no way.
  if (same && goesOn) track.gone = [track.gone[0] + x1 - x0, track.gone[1] + box[1] + box[3] - track.box[1] - track.box[3]];
  track.travelled = Math.max(track.travelled, Math.hypot(...track.gone));
  track.box = box;
  track.lastMs = timeMs;
  track.seen++;
  vote(track, label, sure);
}
