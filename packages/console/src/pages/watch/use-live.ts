import { watchLive } from '@causalis/client';
import type { LiveFrame } from '@causalis/contract';
import { onScopeDispose, reactive, shallowReactive } from 'vue';

/** What one camera shows now. */
export interface LivePicture {
  readonly frame: LiveFrame;
  /** Address of the picture for an `<img>`; it lives until the next. */
  readonly url: string;
}

/** One moment of a zone's level. */
export interface LevelPoint {
  readonly at: number;
  readonly level: number;
  /** By how many grey levels it differs. */
  readonly differs: number;
}

/** The meter remembers this long. */
export const meterMs = 60_000;

/** Live pictures and levels of some cameras, over one connection. */
export function useLive(site: string, cameras: readonly string[]) {
  const pictures = shallowReactive(new Map<string, LivePicture>());
  const levels = reactive(new Map<string, LevelPoint[]>());
  const stop = watchLive(site, cameras, ({ frame, jpeg }) => {
    const before = pictures.get(frame.camera);
    const url = jpeg ? URL.createObjectURL(new Blob([jpeg], { type: 'image/jpeg' })) : (before?.url ?? '');
    pictures.set(frame.camera, { frame, url });
    // The picture that is being shown stays until the next has been painted.
    if (jpeg && before?.url) setTimeout(() => URL.revokeObjectURL(before.url), 500);
    const at = Date.parse(frame.time);
    for (const { zone, level, differs } of frame.zones) {
      const key = `${frame.camera} ${zone}`;
      levels.set(key, [...(levels.get(key) ?? []).filter((point) => at - point.at < meterMs), { at, level, differs }]);
    }
  });
  onScopeDispose(stop);
  return { pictures, levels };
}
