import { onScopeDispose, type Ref, ref, shallowRef } from 'vue';
import { sentenceOf } from './session.js';

/** Something read from the service: its value, whether it is being read, and what went wrong. */
export interface Reading<T> {
  readonly value: Ref<T | undefined>;
  readonly loading: Ref<boolean>;
  readonly error: Ref<string>;
  /** Reads again now. */
  readonly again: () => Promise<void>;
  /** Reads again soon: many calls in a short while are one. */
  readonly soon: () => void;
}

/** As long as news keep coming in, they are gathered for this long. */
const soonMs = 120;

/** Reads once, and again when asked; what was there stays until the new is there. */
export function useReading<T>(read: () => Promise<T>): Reading<T> {
  const value = shallowRef<T>();
  const loading = ref(true);
  const error = ref('');
  let timer: ReturnType<typeof setTimeout> | undefined;
  const again = async () => {
    loading.value = true;
    try {
      value.value = await read();
      error.value = '';
    } catch (thrown) {
      error.value = sentenceOf(thrown);
    } finally {
      loading.value = false;
    }
  };
  void again();
  onScopeDispose(() => clearTimeout(timer));
  return {
    value,
    loading,
    error,
    again,
    soon: () => {
      timer ??= setTimeout(() => {
        timer = undefined;
        void again();
      }, soonMs);
    },
  };
}
