/** A signal that aborts with another or after some time; `clear` lets go of both when what it was for has ended. */
export interface Deadline {
  readonly signal: AbortSignal;
  clear(): void;
}

/**
 * Limits something in time. It holds on to its timer and its listener itself: signals joined by `AbortSignal.any` may be
 * collected before they abort (Node 20), and what waits for them then waits for ever.
 */
export function deadline(ms: number, outer?: AbortSignal): Deadline {
  const controller = new AbortController();
  const abort = () => controller.abort();
  const timer = setTimeout(abort, ms);
  outer?.addEventListener('abort', abort, { once: true });
  if (outer?.aborted) abort();
  return {
    signal: controller.signal,
    clear() {
      clearTimeout(timer);
      outer?.removeEventListener('abort', abort);
    },
  };
}
