import { randomUUID } from 'node:crypto';
import type { CameraState, SeenObject } from '@causalis/contract';
import { ObjectWatch, type Track, Tracker } from '@causalis/core';
import { encodeAfresh } from './jpeg.js';
import type { FromWatcher, SentPicture, WatchedCamera } from './messages.js';
import type { Recognised, RecogniserLine } from './recogniser.js';

/** A recogniser is asked for this long after nothing moves any more, so that it sees things leave. */
const afterMotionMs = 2_000;
/** A recogniser fails when it has failed so often in a row. */
const failingAfter = 3;

type RecogniserState = NonNullable<CameraState['recogniser']>;

export interface CameraObjectsParts {
  readonly send: (message: FromWatcher) => void;
  readonly line: (recogniser: string) => RecogniserLine;
  /** The wall time of a steady one, and the picture nearest to it. */
  readonly wallOf: (at: number) => number;
  readonly picture: (at: number) => SentPicture | undefined;
  /** The recogniser works, is slow or fails from now on. */
  readonly recogniserChanged: () => void;
  /** The camera is watched no more. */
  readonly ended: AbortSignal;
}

/** The objects of one camera: asks its recogniser what moves, follows it, and tells what becomes of it. */
export class CameraObjects {
  /** What the recogniser said last. */
  recognised: readonly SeenObject[] = [];
  /** Whether the recogniser works; nothing before it was asked. */
  recogniser: RecogniserState | undefined;
  private readonly camera: WatchedCamera;
  private readonly parts: CameraObjectsParts;
  private readonly watch: ObjectWatch;
  /** Follows what a recogniser names; without one the detector's own tracks are taken. */
  private readonly named = new Tracker({ forgetMs: 2_500, reach: 1.2 });
  private readonly trackIds = new Map<number, string>();
  private askedAt = 0;
  /** Of which picture the last answer was. */
  private takenAt = 0;
  private failures = 0;

  constructor(camera: WatchedCamera, parts: CameraObjectsParts) {
    this.camera = camera;
    this.parts = parts;
    this.watch = new ObjectWatch(camera.objects);
  }

  /** What was followed is gone with the view; `gone` is what the detector followed. */
  headMoves(gone: readonly Track[], at: number): void {
    this.follow([], this.camera.recogniser ? this.named.reset() : gone, at);
  }

  /** Asks the recogniser about a picture, when it is time and it can take one more. `movedAt`: when something last moved. */
  recognise(jpeg: Buffer, at: number, movedAt: number): void {
    const { recogniser } = this.camera;
    if (!recogniser || at - this.askedAt < recogniser.everyMs * 0.9) return;
    if (recogniser.when === 'motion' && at - movedAt > afterMotionMs) {
      this.recognised = [];
      this.follow([], this.named.see([], at).ended, at);
      return;
    }
    const line = this.parts.line(recogniser.key);
    const picture = line.isFree(recogniser.most) ? encodeAfresh(jpeg, 85, this.camera.hidden) : undefined;
    if (!picture) return;
    this.askedAt = at;
    void line.ask(recogniser, picture).then((answer) => {
      if (this.parts.ended.aborted) return;
      this.told(answer.ok, answer.ok ? (answer.slow ? 'slow' : '') : answer.reason);
      if (answer.ok) this.take(answer.objects, at);
    });
  }

  /** Tells what became of tracks: what appeared, entered, lingers, crossed a line or has left. */
  follow(tracks: readonly Track[], ended: readonly Track[], at: number): void {
    const withLabels = this.camera.recogniser !== undefined;
    for (const change of this.watch.see(tracks, ended, at)) {
      // That something appeared says nothing that motion does not say, unless somebody knows what it is.
      if (change.kind === 'appeared' && !withLabels) continue;
      const { kind, track, timeMs, ...rest } = change;
      const id = this.trackIds.get(track) ?? randomUUID();
      this.trackIds.set(track, id);
      const picture = kind === 'left' ? undefined : this.parts.picture(timeMs);
      this.parts.send({
        kind: 'object',
        camera: this.camera.key,
        change: kind,
        track: id,
        at: this.parts.wallOf(timeMs),
        seen: this.parts.wallOf(at),
        ...rest,
        ...(picture ? { picture } : {}),
      });
    }
    for (const { id } of ended) this.trackIds.delete(id);
  }
  /** What a recogniser said of a picture. An answer that others have overtaken is left out: nothing is followed back in time. */
  private take(objects: readonly Recognised[], at: number): void {
    if (at <= this.takenAt) return;
    this.takenAt = at;
    const counted = objects.filter(({ verdict }) => verdict === 'counted');
    const { of, ended } = this.named.see(counted, at);
    const tracks = new Map(counted.map((one, i) => [one, of[i].id]));
    this.recognised = objects.map((one) => ({ ...one, track: tracks.get(one) ?? 0 }));
    this.follow(of, ended, at);
  }

  private told(ok: boolean, reason: string): void {
    const { recogniser } = this.camera;
    if (!recogniser) return;
    this.failures = ok ? 0 : this.failures + 1;
    const state = ok
      ? reason === 'slow'
        ? 'slow'
        : 'working'
      : this.failures >= failingAfter
        ? 'failing'
        : (this.recogniser?.state ?? 'working');
    this.parts.send({ kind: 'recogniser', recogniser: recogniser.key, ok, reason });
    if (state === this.recogniser?.state) return;
    this.recogniser = { state, ...(state === 'failing' ? { reason } : {}) };
    this.parts.recogniserChanged();
  }
}
