import { onScopeDispose, ref } from 'vue';

/** The time, a second at a time, for "12 s ago". */
export function useNow() {
  const now = ref(Date.now());
  const timer = setInterval(() => {
    now.value = Date.now();
  }, 1000);
  onScopeDispose(() => clearInterval(timer));
  return now;
}
