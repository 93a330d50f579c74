import type { BlobVerdict, Box } from '@causalis/contract';
import { blockGrid } from './blocks.js';
import { fillArea } from './mask.js';
import { type MotionSettings, wholePicture } from './motion.js';
import { type BlobNature, verdictOf } from './nature.js';
import { atRest, nextZoneState, type ZoneState } from './zone-state.js';

/** What one picture showed, remembered without the picture. */
export interface RememberedFrame {
  readonly timeMs: number;
  /** Cells of the whole working grid. */
  readonly cells: number;
  readonly dark: boolean;
  readonly settling: boolean;
  readonly blobs: readonly { readonly box: Box; readonly size: number; readonly nature: BlobNature; readonly blocks: readonly number[] }[];
}

/** An event as it would be with some settings. Times: wall ms. */
export interface ReplayedEvent {
  readonly zone: string;
  readonly firstMs: number;
  readonly lastMs: number;
  readonly level: number;
  readonly size: number;
  readonly box: Box;
}

export interface Replayed {
  readonly events: readonly ReplayedEvent[];
  /** How many blobs of all pictures each filter has removed. */
  readonly removed: Readonly<Partial<Record<BlobVerdict, number>>>;
}

interface ReplayZone {
  readonly name: string;
  readonly everyChange: boolean;
  /** Share of each block that belongs to the zone. */
  readonly cover: Float32Array;
  readonly share: number;
  state: ZoneState;
  largest: { size: number; box: Box } | undefined;
}

/** A mask is looked at this much finer than the blocks. */
const finer = 8;

function zonesOf({ zones, ignored }: Pick<MotionSettings, 'zones' | 'ignored'>): ReplayZone[] {
  const { across, down } = blockGrid;
  const [width, height] = [across * finer, down * finer];
  const masks = ignored.map((area) => fillArea(area, width, height));
  const drawn = zones.length > 0 ? zones : [{ name: wholePicture, area: { cells: ['#'] } }];
  return drawn.map((zone) => {
    const mask = fillArea(zone.area, width, height);
    const cover = new Float32Array(across * down);
    let count = 0;
    for (let i = 0; i < mask.length; i++) {
      if (mask[i] === 0 || masks.some((other) => other[i] === 1)) continue;
      const y = Math.floor(i / width);
      cover[Math.floor(y / finer) * across + Math.floor((i - y * width) / finer)] += 1 / (finer * finer);
      count++;
    }
    return {
      name: zone.name,
      everyChange: 'everyChange' in zone && zone.everyChange === true,
      cover,
      share: count / mask.length,
      state: atRest,
      largest: undefined,
    };
  });
}

/** A gap in what is remembered as long as this ends what moved, once it has been quiet. */
function endBefore(zones: readonly ReplayZone[], timeMs: number, settings: MotionSettings, end: (zone: ReplayZone) => void): void {
  for (const zone of zones) if (zone.state.name === 'moving' && timeMs - zone.state.lastMs >= settings.quietMs) end(zone);
}

/**
 * What events remembered pictures would give with these settings. The difference of a pixel is not remembered: what it
 * is set to holds for pictures to come only.
 */
export function replay(frames: Iterable<RememberedFrame>, settings: MotionSettings): Replayed {
  const zones = zonesOf(settings);
  const events: ReplayedEvent[] = [];
  const removed: Partial<Record<BlobVerdict, number>> = {};
  const end = (zone: ReplayZone): void => {
    if (zone.state.name === 'moving' && zone.largest) {
      const { firstMs, lastMs, peak } = zone.state;
      events.push({ zone: zone.name, firstMs, lastMs, level: peak, ...zone.largest });
    }
    zone.largest = undefined;
    zone.state = atRest;
  };
  for (const frame of frames) {
    const values = frame.dark ? { ...settings, ...settings.dark } : settings;
    endBefore(zones, frame.timeMs, values, end);
    const judged = frame.blobs.map((blob) => {
      const inZones = zones.map(({ cover }) => {
        let sum = 0;
        for (let k = 0; k < blob.blocks.length; k += 2) sum += cover[blob.blocks[k]] * blob.blocks[k + 1];
        return sum;
      });
      const verdict = verdictOf({ ...blob, inZones }, values);
      removed[verdict] = (removed[verdict] ?? 0) + 1;
      return { blob, inZones, verdict };
    });
    zones.forEach((zone, i) => {
      const counted = judged.filter((one) => one.inZones[i] > 0 && (zone.everyChange || one.verdict === 'counted'));
      const level = zone.share === 0 ? 0 : counted.reduce((sum, one) => sum + one.inZones[i], 0) / (zone.share * frame.cells);
      const passes = !frame.settling && counted.length > 0 && level >= values.threshold;
      if (passes)
        for (const { blob } of counted) if (blob.size > (zone.largest?.size ?? 0)) zone.largest = { size: blob.size, box: blob.box };
      const { state, change } = nextZoneState(zone.state, passes, level, frame.timeMs, values);
      if (change === 'ended') end(zone);
      zone.state = state;
      if (state.name === 'quiet') zone.largest = undefined;
    });
  }
  for (const zone of zones) end(zone);
  return { events: events.sort((a, b) => a.firstMs - b.firstMs), removed };
}

/** What changes from one replay to another: events belong together when they are of one zone and overlap in time. */
export function compareReplays(before: readonly ReplayedEvent[], after: readonly ReplayedEvent[]) {
  const meets = (a: ReplayedEvent) => (b: ReplayedEvent) => a.zone === b.zone && a.firstMs <= b.lastMs && b.firstMs <= a.lastMs;
  return {
    stay: after.filter((event) => before.some(meets(event))),
    come: after.filter((event) => !before.some(meets(event))),
    go: before.filter((event) => !after.some(meets(event))),
  };
}

/** Room above what an ordinary scene shows. */
const margin = 1.3;

/**
 * Settings with which a stretch of ordinary scene gives no event, as little changed as that needs: smallest first, then
 * the threshold, then how long it must last.
 */
export function suggest(
  frames: readonly RememberedFrame[],
  settings: MotionSettings,
): Partial<Pick<MotionSettings, 'smallest' | 'threshold' | 'atLeastMs'>> {
  const { events } = replay(frames, settings);
  if (events.length === 0) return {};
  const things = frames.flatMap(({ blobs }) => blobs).filter(({ nature }) => nature === 'thing');
  const sizes = things.map(({ size }) => size).filter((size) => size >= settings.smallest);
  const tries: Partial<Pick<MotionSettings, 'smallest' | 'threshold' | 'atLeastMs'>>[] = [
    { smallest: Math.min(settings.largest / 2, Math.max(...sizes, settings.smallest) * margin) },
    { threshold: Math.min(0.5, Math.max(...events.map(({ level }) => level)) * margin) },
    { atLeastMs: Math.min(5_000, Math.max(...events.map(({ firstMs, lastMs }) => lastMs - firstMs)) * margin + 200) },
  ];
  // What hides less is better: a thing of a person's size, 1 % of the picture, should still count.
  const good = tries.filter((one) => replay(frames, { ...settings, ...one }).events.length === 0);
  return (
    good.find(({ smallest = 0, threshold = 0, atLeastMs = 0 }) => smallest < 0.01 && threshold < 0.05 && atLeastMs < 3_000) ?? good[0] ?? {}
  );
}
