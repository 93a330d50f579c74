import { ref } from 'vue';
import { sentenceOf } from './session.js';

/**
 * Something that is done by hand: while it runs, `busy` names it and nothing else is begun; what went wrong is a
 * sentence. Buttons say `aria-disabled` meanwhile: one that is disabled would drop the keyboard's focus.
 */
export function useDoing() {
  const busy = ref('');
  const failed = ref('');
  return {
    busy,
    failed,
    /** Does it, and says whether it went well. */
    async run(name: string, job: () => Promise<unknown>): Promise<boolean> {
      if (busy.value !== '') return false;
      busy.value = name;
      failed.value = '';
      try {
        await job();
        return true;
      } catch (error) {
        failed.value = sentenceOf(error);
        return false;
      } finally {
        busy.value = '';
      }
    },
  };
}
