import type { Box, CameraState, LiveFrame, Position } from '@causalis/contract';
import type { MotionSettings } from '@causalis/core';
import type { ClockShift } from '../../clock.js';
import type { FeedOptions } from '../feeds/contract.js';

/** What a watcher process needs to know of one camera. Secrets come this way only, never as arguments. */
export interface WatchedCamera {
  readonly key: string;
  readonly main: WatchedFeed;
  readonly small?: WatchedFeed;
  readonly motion: MotionSettings;
}

export type WatchedFeed = (FeedOptions & { readonly kind: 'multipart' }) | { readonly missing: string };

/** From the service to a watcher. */
export type ToWatcher =
  | { readonly kind: 'cameras'; readonly cameras: readonly WatchedCamera[] }
  /** Cameras that somebody looks at now: only their pictures cross. */
  | { readonly kind: 'viewed'; readonly cameras: readonly string[] }
  | { readonly kind: 'picture'; readonly request: number; readonly camera: string; readonly wall: number }
  | { readonly kind: 'shift'; readonly shift: ClockShift };

/** Motion as a watcher reports it. Times are wall ms. */
export interface ReportedMotion {
  readonly kind: 'motion';
  readonly camera: string;
  readonly change: 'began' | 'ended';
  readonly zone: string;
  readonly corners: readonly Position[];
  readonly first: number;
  readonly last: number;
  readonly seen: number;
  readonly level: number;
  readonly threshold: number;
  readonly box?: Box;
  readonly picture?: { readonly jpeg: Uint8Array; readonly at: number };
}

/** From a watcher to the service. */
export type FromWatcher =
  | ReportedMotion
  | { readonly kind: 'state'; readonly camera: string; readonly state: CameraState }
  | { readonly kind: 'look'; readonly camera: string; readonly frame: LiveFrame; readonly jpeg?: Uint8Array }
  | { readonly kind: 'picture'; readonly request: number; readonly jpeg?: Uint8Array; readonly at?: number };
