import type { Box, Position } from '@causalis/contract';
import { type AreaShape, isInside } from './mask.js';
import type { Track } from './tracks.js';

/** What objects are held against. Positions are shares of the picture, times ms. */
export interface ObjectSettings {
  /** A thing is believed after so long. */
  readonly atLeastMs: number;
  readonly zones: readonly { readonly name: string; readonly area: AreaShape; readonly lingersMs?: number }[];
  readonly lines: readonly { readonly name: string; readonly corners: readonly Position[]; readonly in: 'left' | 'right' }[];
}

/** Something that an object did. */
export interface ObjectChange {
  readonly kind: 'appeared' | 'entered' | 'left' | 'lingered' | 'crossed';
  readonly track: number;
  readonly timeMs: number;
  readonly box: Box;
  readonly mark?: string;
  readonly label?: string;
  readonly sure?: number;
  readonly direction?: 'in' | 'out';
  /** How long it was in the zone, ms. */
  readonly lastedMs?: number;
}

/** Sightings after which a thing is believed. */
const leastSightings = 3;
/** It has entered or left a zone when so many sightings in a row say so. */
const steadySightings = 2;
/** It is on one side of a line when it is this far from it: half of its width, and never less than the other. */
const sideWidths = 0.3;
const sideLeast = 0.008;
/** A box that is this much lower or higher than the thing usually is shows a part of it, or two as one: its foot is somewhere else. */
const sameHigh = 0.72;
/** After so many sightings in a row that is what the thing has become. */
const oddSightings = 8;
/** Within its first sightings it may be of any height. */
const newSightings = 4;
/** How much of a new height is believed. */
const newHigh = 0.3;

type Point = readonly [number, number];

/** Where a thing stands: the middle of its box's lower edge. */
export const footOf = ([x, y, w, h]: Box): Point => [x + w / 2, Math.min(0.999, y + h)];

interface InZone {
  inside: boolean;
  /** Sightings in a row that say otherwise, and since when. */
  otherwise: number;
  sinceMs: number;
  enteredMs: number;
  lingered: boolean;
}

interface AtLine {
  /** The last side on which it stood firmly, and where. */
  side: -1 | 1;
  at: Point;
}

interface Followed {
  believed: boolean;
  /** Its height, the one that it had before, and how many sightings in a row have had neither. */
  high: number;
  other: number;
  odd: number;
  readonly zones: Map<string, InZone>;
  /** Where it stood last, by either height. */
  lines: Map<string, AtLine>;
  otherLines: Map<string, AtLine>;
}

/** On which side of a line a point lies: positive left of one who walks it, and how far away. */
function sideOf(corners: readonly Position[], [px, py]: Point): number {
  let best = Number.POSITIVE_INFINITY;
  let side = 0;
  for (let i = 0; i + 1 < corners.length; i++) {
    const [ax, ay] = corners[i];
    const [bx, by] = corners[i + 1];
    const [dx, dy] = [bx - ax, by - ay];
    const along = Math.min(1, Math.max(0, ((px - ax) * dx + (py - ay) * dy) / (dx * dx + dy * dy || 1e-12)));
    const far = Math.hypot(px - ax - along * dx, py - ay - along * dy);
    if (far >= best) continue;
    best = far;
    // y grows downwards: what lies left of the walker has a negative product.
    side = dx * (py - ay) - dy * (px - ax) < 0 ? far : -far;
  }
  return side;
}

/** Whether the way from one point to another crosses a line. */
function crosses(corners: readonly Position[], a: Point, b: Point): boolean {
  const turn = (p: Point, q: Point, r: Point) => (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]);
  return corners.some((corner, i) => {
    const next = corners[i + 1];
    return next !== undefined && turn(corner, next, a) * turn(corner, next, b) <= 0 && turn(a, b, corner) * turn(a, b, next) <= 0;
  });
}

/**
 * Whether a box shows the whole thing, so that its foot says where it stands. A thing may have two heights in turn, as
 * when its legs are lost on ground of their grey, or somebody walks before it; from one to the other nobody has walked.
 */
function isWhole(one: Followed, { box: [, , , high], seen }: Track): boolean {
  const isLike = (other: number) => Math.min(high, other) >= Math.max(high, other) * sameHigh;
  if (!isLike(one.high)) {
    const known = isLike(one.other);
    // Of whoever has only just come nobody knows yet how tall they are.
    if (!known && seen > newSightings && ++one.odd < oddSightings) return false;
    [one.high, one.other] = [high, one.high];
    [one.lines, one.otherLines] = [known ? one.otherLines : new Map(), one.lines];
  }
  one.odd = 0;
  one.high += (high - one.high) * newHigh;
  return true;
}

/** What things that are followed do at the zones and lines of one camera. Deterministic: the same tracks give the same changes. */
export class ObjectWatch {
  private readonly settings: ObjectSettings;
  private readonly followed = new Map<number, Followed>();

  constructor(settings: ObjectSettings) {
    this.settings = settings;
  }

  /** Takes the tracks that were seen on one picture, and those that ended. */
  see(tracks: readonly Track[], ended: readonly Track[], timeMs: number): ObjectChange[] {
    const changes: ObjectChange[] = [];
    for (const track of tracks) {
      const one = this.followed.get(track.id) ?? {
        believed: false,
        high: track.box[3],
        other: track.box[3],
        odd: 0,
        zones: new Map(),
        lines: new Map(),
        otherLines: new Map(),
      };
      this.followed.set(track.id, one);
      if (!one.believed) {
        one.believed = track.seen >= leastSightings && timeMs - track.firstMs >= this.settings.atLeastMs;
        if (one.believed) changes.push(this.change('appeared', track, timeMs));
      }
      if (!isWhole(one, track)) continue;
      this.atLines(one, track, timeMs, changes);
      this.inZones(one, track, timeMs, changes);
    }
    for (const track of ended) {
      const one = this.followed.get(track.id);
      this.followed.delete(track.id);
      for (const [mark, { inside, enteredMs }] of one?.zones ?? [])
        if (inside && one?.believed)
          changes.push({ ...this.change('left', track, track.lastMs, mark), lastedMs: track.lastMs - enteredMs });
    }
    return changes;
  }

  private change(kind: ObjectChange['kind'], { id, box, label, sure }: Track, timeMs: number, mark?: string): ObjectChange {
    return {
      kind,
      track: id,
      timeMs,
      box,
      ...(mark ? { mark } : {}),
      ...(label ? { label } : {}),
      ...(sure === undefined ? {} : { sure }),
    };
  }

  private inZones(one: Followed, track: Track, timeMs: number, changes: ObjectChange[]): void {
    if (!one.believed) return;
    const foot = footOf(track.box);
    for (const { name, area, lingersMs } of this.settings.zones) {
      const state = one.zones.get(name) ?? { inside: false, otherwise: 0, sinceMs: timeMs, enteredMs: timeMs, lingered: false };
      one.zones.set(name, state);
      if (isInside(area, foot) === state.inside) state.otherwise = 0;
      else {
        if (state.otherwise === 0) state.sinceMs = timeMs;
        state.otherwise++;
      }
      if (state.otherwise >= steadySightings) {
        state.inside = !state.inside;
        state.otherwise = 0;
        if (state.inside) {
          state.enteredMs = state.sinceMs;
          state.lingered = false;
          changes.push(this.change('entered', track, state.sinceMs, name));
        } else changes.push({ ...this.change('left', track, state.sinceMs, name), lastedMs: state.sinceMs - state.enteredMs });
      }
      if (state.inside && lingersMs !== undefined && !state.lingered && timeMs - state.enteredMs >= lingersMs) {
        state.lingered = true;
        changes.push({ ...this.change('lingered', track, timeMs, name), lastedMs: timeMs - state.enteredMs });
      }
    }
  }

  private atLines(one: Followed, track: Track, timeMs: number, changes: ObjectChange[]): void {
    const foot = footOf(track.box);
    const firm = Math.max(sideLeast, track.box[2] * sideWidths);
    for (const { name, corners, in: inward } of this.settings.lines) {
      const distance = sideOf(corners, foot);
      if (Math.abs(distance) < firm) continue;
      const side = distance > 0 ? 1 : -1;
      const before = one.lines.get(name);
      one.lines.set(name, { side, at: foot });
      if (!before || before.side === side || !crosses(corners, before.at, foot)) continue;
      const direction = (side === 1) === (inward === 'left') ? 'in' : 'out';
      changes.push({ ...this.change('crossed', track, timeMs, name), direction });
    }
  }
}
