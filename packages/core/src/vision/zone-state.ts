/** What one zone is doing. */
export type ZoneState =
  /** `untilMs`: nothing begins before, because of the pause after the last motion. */
  | { readonly name: 'quiet'; readonly untilMs?: number }
  | { readonly name: 'rising'; readonly firstMs: number; readonly lastMs: number; readonly peak: number }
  | { readonly name: 'moving'; readonly firstMs: number; readonly lastMs: number; readonly peak: number };

export type ZoneChange = 'began' | 'ended';

export interface ZoneTiming {
  readonly atLeastMs: number;
  readonly quietMs: number;
  readonly pauseMs: number;
}

/** A frame or two that the walker's coat did not differ in does not begin the count anew. */
const gapMs = 450;
/** Pictures come a little early or late: a frame that is this much short of the time counts, not only the next. */
const jitterMs = 60;

export const atRest: ZoneState = { name: 'quiet' };

/**
 * One zone's next state: motion must last `atLeastMs` before it counts, stay away for `quietMs` before it ends, and
 * does not begin again for `pauseMs` after it ended. `passes` says whether this frame's level and objects passed all filters.
 */
export function nextZoneState(
  state: ZoneState,
  passes: boolean,
  level: number,
  timeMs: number,
  timing: ZoneTiming,
): { state: ZoneState; change?: ZoneChange } {
  if (state.name === 'quiet') {
    if (!passes || timeMs < (state.untilMs ?? 0)) return { state };
    const rising: ZoneState = { name: 'rising', firstMs: timeMs, lastMs: timeMs, peak: level };
    return timing.atLeastMs > 0 ? { state: rising } : { state: { ...rising, name: 'moving' }, change: 'began' };
  }
  const peak = passes ? Math.max(state.peak, level) : state.peak;
  const lastMs = passes ? timeMs : state.lastMs;
  if (state.name === 'rising') {
    if (!passes) return { state: timeMs - state.lastMs > gapMs ? atRest : state };
    if (timeMs - state.firstMs < timing.atLeastMs - jitterMs) return { state: { ...state, lastMs, peak } };
    return { state: { name: 'moving', firstMs: state.firstMs, lastMs, peak }, change: 'began' };
  }
  if (timeMs - lastMs >= timing.quietMs)
    return { state: timing.pauseMs > 0 ? { name: 'quiet', untilMs: timeMs + timing.pauseMs } : atRest, change: 'ended' };
  return { state: { ...state, lastMs, peak } };
}
