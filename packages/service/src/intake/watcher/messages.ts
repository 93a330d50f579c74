import type { Area, Box, CameraState, LiveFrame, Position } from '@causalis/contract';
import type { MotionSettings, ObjectSettings, RememberedFrame, ViewTrouble } from '@causalis/core';
import type { ClockShift } from '../../clock.js';
import type { ReadyFeed } from '../feeds/contract.js';
import type { DeviceOffers } from '../onvif/client.js';
import type { DeviceNotice } from '../onvif/topics.js';

/** What a watcher process needs to know of one camera. Secrets come this way only, never as arguments. */
export interface WatchedCamera {
  readonly key: string;
  readonly main: WatchedFeed;
  readonly small?: WatchedFeed;
  readonly motion: MotionSettings;
  readonly objects: ObjectSettings;
  /** Areas that are never kept and never shown. */
  readonly hidden: readonly Area[];
  readonly recogniser?: WatchedRecogniser;
}

export interface WatchedRecogniser {
  readonly key: string;
  readonly url: string;
  readonly everyMs: number;
  readonly when: 'motion' | 'always';
  readonly sure: Readonly<Record<string, number>>;
  readonly labels?: readonly string[];
  readonly most: number;
}

export type WatchedFeed = ReadyFeed | { readonly missing: string };

/** From the service to a watcher. */
export type ToWatcher =
  | { readonly kind: 'cameras'; readonly cameras: readonly WatchedCamera[] }
  /** Cameras that somebody looks at now: only their pictures cross. */
  | { readonly kind: 'viewed'; readonly cameras: readonly string[] }
  | { readonly kind: 'picture'; readonly request: number; readonly camera: string; readonly wall: number }
  /** A picture that a camera has sent by itself. */
  | { readonly kind: 'pushed'; readonly request: number; readonly camera: string; readonly jpeg: Uint8Array }
  /** The sun at the site is down, or up again. */
  | { readonly kind: 'sky'; readonly dark: boolean }
  /** A camera's head begins to move, or stands. */
  | { readonly kind: 'head'; readonly camera: string; readonly moving: boolean }
  | { readonly kind: 'shift'; readonly shift: ClockShift };

export interface SentPicture {
  readonly jpeg: Uint8Array;
  readonly at: number;
}

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
  readonly picture?: SentPicture;
}

/** What a thing that is followed has done. */
export interface ReportedObject {
  readonly kind: 'object';
  readonly camera: string;
  readonly change: 'appeared' | 'entered' | 'left' | 'lingered' | 'crossed';
  /** What ties the events of one thing together, for as long as the watcher lives. */
  readonly track: string;
  readonly at: number;
  readonly seen: number;
  readonly box: Box;
  readonly mark?: string;
  readonly label?: string;
  readonly sure?: number;
  readonly direction?: 'in' | 'out';
  readonly lastedMs?: number;
  readonly picture?: SentPicture;
}

/** Something is wrong with what a camera sees, or is well again. */
export interface ReportedView {
  readonly kind: 'view';
  readonly camera: string;
  readonly trouble: ViewTrouble | undefined;
  readonly since: number;
  readonly seen: number;
  readonly before?: SentPicture;
  readonly after?: SentPicture;
}

/** How a recogniser did when it was asked. */
export interface ReportedRecogniser {
  readonly kind: 'recogniser';
  readonly recogniser: string;
  readonly ok: boolean;
  readonly reason: string;
}

/** What moved on pictures, to be remembered. */
export interface ReportedFrames {
  readonly kind: 'frames';
  readonly camera: string;
  readonly frames: readonly RememberedFrame[];
}

/** What a device has said by itself, with wall times. */
export interface ReportedNotice extends Omit<DeviceNotice, 'at' | 'initial'> {
  readonly kind: 'notice';
  readonly camera: string;
  readonly at: number;
  readonly seen: number;
}

/** From a watcher to the service. */
export type FromWatcher =
  | ReportedMotion
  | ReportedObject
  | ReportedView
  | ReportedRecogniser
  | ReportedFrames
  | ReportedNotice
  | { readonly kind: 'offers'; readonly camera: string; readonly offers: DeviceOffers }
  | { readonly kind: 'state'; readonly camera: string; readonly state: CameraState }
  | { readonly kind: 'look'; readonly camera: string; readonly frame: LiveFrame; readonly jpeg?: Uint8Array }
  | { readonly kind: 'picture'; readonly request: number; readonly jpeg?: Uint8Array; readonly at?: number };
