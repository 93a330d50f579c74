import type { StreamMessage } from '@causalis/contract';
import { onScopeDispose, ref, shallowRef } from 'vue';
import { client } from './session.js';

type Listener = (message: StreamMessage) => void;

const listeners = new Set<Listener>();
const connected = ref(true);
const lostSince = shallowRef<Date>();
let end: AbortController | undefined;

/** Follows a site from now on; a second call for the same page does nothing. */
export function followSite(site: string): void {
  if (end) return;
  end = new AbortController();
  const { signal } = end;
  const state = (now: boolean) => {
    if (now === connected.value) return;
    connected.value = now;
    lostSince.value = now ? undefined : new Date();
  };
  void (async () => {
    try {
      for await (const message of client.follow(site, signal, state)) for (const listener of listeners) listener(message);
    } catch {
      // Signed out, or the site is gone: the next call that is made by hand says so.
      state(false);
    } finally {
      end = undefined;
    }
  })();
}

export function stopFollowing(): void {
  end?.abort();
  end = undefined;
}

/** What happens, while the component lives; and whether the connection stands. */
export function useStream(listener?: Listener) {
  if (listener) {
    listeners.add(listener);
    onScopeDispose(() => listeners.delete(listener));
  }
  return { connected, lostSince };
}
