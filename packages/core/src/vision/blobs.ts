import type { Box } from '@causalis/contract';
import type { KernelMemory } from './kernel/memory.js';

/** Changed cells that hang together. Edges in cells, `right` and `foot` inclusive. */
export interface Blob {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly foot: number;
  /** Number of changed cells. */
  readonly cells: number;
  /** Where its cells stand in the list that all blobs of a frame share: from here on, `cells` of them. */
  readonly from: number;
}

/** What blobs are found in, and where their cells are listed. */
type Bench = Pick<KernelMemory, 'width' | 'begin' | 'end' | 'leads' | 'place' | 'listed'>;

/**
 * Connected components with eight neighbours: the first `runs` runs, joined with those that they touch in the row above
 * (union by the earlier run, after Rosenfeld and Pfaltz 1966). In the order of their first cells.
 */
export function findBlobs(bench: Bench, runs: number, leastCells: number): Blob[] {
  const { begin, end, leads, listed, place, width } = bench;
  joinRuns(bench, runs);
  const blobs = new Map<number, { left: number; top: number; right: number; foot: number; cells: number; from: number }>();
  for (let run = 0; run < runs; run++) {
    const lead = leadOf(leads, run);
    leads[run] = lead;
    const y = Math.floor(begin[run] / width);
    const [left, right] = [begin[run] - y * width, end[run] - 1 - y * width];
    const blob = blobs.get(lead);
    if (!blob) blobs.set(lead, { left, top: y, right, foot: y, cells: end[run] - begin[run], from: 0 });
    else {
      blob.left = Math.min(blob.left, left);
      blob.right = Math.max(blob.right, right);
      blob.foot = y;
      blob.cells += end[run] - begin[run];
    }
  }
  let all = 0;
  for (const [lead, blob] of blobs) {
    const large = blob.cells >= leastCells;
    blob.from = all;
    place[lead] = large ? all : -1;
    if (large) all += blob.cells;
  }
  for (let run = 0; run < runs; run++) {
    const lead = leads[run];
    if (place[lead] < 0) continue;
    for (let i = begin[run]; i < end[run]; i++) listed[place[lead]++] = i;
  }
  return [...blobs.values()].filter((blob) => blob.cells >= leastCells);
}

/** Joins the runs that touch. */
function joinRuns({ begin, end, leads, width }: Bench, runs: number): void {
  // Runs of the row above that may still touch one: from `above` to before `row`, where the row of this run begins.
  let [above, row, rowEnd] = [0, 0, 0];
  for (let run = 0; run < runs; run++) {
    leads[run] = run;
    if (begin[run] >= rowEnd) {
      above = begin[run] < rowEnd + width ? row : run;
      row = run;
      rowEnd = (Math.floor(begin[run] / width) + 1) * width;
    }
    // Those that end before this one begins touch nothing further on either.
    while (above < row && end[above] + width < begin[run]) above++;
    for (let k = above; k < row && begin[k] + width <= end[run]; k++) {
      const [one, other] = [leadOf(leads, k), leadOf(leads, run)];
      if (one < other) leads[other] = one;
      else leads[one] = other;
    }
  }
}

/** The first run of a run's blob; the way there is made shorter for who comes next. */
function leadOf(leads: Int32Array, run: number): number {
  let at = run;
  while (leads[at] !== at) {
    leads[at] = leads[leads[at]];
    at = leads[at];
  }
  return at;
}

/** Edges in cells, `right` and `foot` inclusive. */
export type Edges = Pick<Blob, 'left' | 'top' | 'right' | 'foot'>;

/** How far apart the pieces of one thing may lie, in cells: a dark coat hides the body between head and legs. */
const apart = { across: 2, down: 9 };
/** Where a whole body has the grey of the ground, head and feet alone are seen: small both, and this far apart at most. */
const loose = { down: 32, cells: 150, wide: 12 };

/**
 * Puts blobs together that are likely pieces of one thing: those that stand above each other, a little apart; small ones
 * may be further apart where `far` allows a thing with these edges. `ownerOf` says to which of the things that are known
 * a piece belongs: two things stay two.
 */
export function groupBlobs(
  blobs: readonly Blob[],
  far: (whole: Edges) => boolean = () => true,
  ownerOf: (blob: Edges) => number | undefined = () => undefined,
): Blob[][] {
  const groups = blobs.map((blob) => ({ box: blob as Edges, owner: ownerOf(blob), blobs: [blob] }));
  for (let again = true; again; ) {
    again = false;
    for (let i = 0; i < groups.length; i++) {
      for (let k = groups.length - 1; k > i; k--) {
        const [a, b] = [groups[i].box, groups[k].box];
        const gapAcross = Math.max(a.left, b.left) - Math.min(a.right, b.right);
        const gapDown = Math.max(a.top, b.top) - Math.min(a.foot, b.foot);
        // Pieces side by side are two people; pieces above each other are one.
        const whole = both(a, b);
        const [wide, high] = [whole.right - whole.left, whole.foot - whole.top];
        const small = Math.max(groups[i].blobs[0].cells, groups[k].blobs[0].cells) <= loose.cells && wide <= loose.wide;
        if (gapAcross > apart.across || gapDown > (small ? loose.down : apart.down) || (gapDown > 0 && high < wide)) continue;
        if (gapDown > apart.down && !far(whole)) continue;
        const [mine, theirs] = [groups[i].owner, groups[k].owner];
        if (mine !== undefined && theirs !== undefined && mine !== theirs) continue;
        groups[i].owner ??= theirs;
        groups[i].box = whole;
        groups[i].blobs.push(...groups[k].blobs);
        groups.splice(k, 1);
        again = true;
      }
    }
  }
  return groups.map((group) => group.blobs);
}

const both = (a: Edges, b: Edges): Edges => ({
  left: Math.min(a.left, b.left),
  top: Math.min(a.top, b.top),
  right: Math.max(a.right, b.right),
  foot: Math.max(a.foot, b.foot),
});

/** The edges of several blobs together. */
export const around = (blobs: readonly Blob[]): Edges => blobs.reduce<Edges>(both, blobs[0]);

/** A blob's box as shares of the picture. */
export function boxOf(blob: Edges, width: number, height: number): Box {
  return [blob.left / width, blob.top / height, (blob.right + 1 - blob.left) / width, (blob.foot + 1 - blob.top) / height];
}
