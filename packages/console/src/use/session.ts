import { CausalisClient, NoServiceError, ProblemError } from '@causalis/client';
import type { Me, SiteSummary } from '@causalis/contract';
import { computed, ref, shallowRef } from 'vue';

/** The one client of the page: its own origin, its own cookie. */
export const client = new CausalisClient({ base: '' });

const me = shallowRef<Me>();
const site = shallowRef<SiteSummary>();
const known = ref(false);

/** Reads who is signed in and which site there is. */
async function load(): Promise<void> {
  try {
    me.value = await client.call('me');
    site.value = (await client.call('sites')).items[0];
  } catch (error) {
    if (!(error instanceof ProblemError) || error.problem.status !== 401) throw error;
    me.value = undefined;
  } finally {
    known.value = true;
  }
}

/** Who is signed in, and at which site. */
export function useSession() {
  return {
    me,
    site,
    known,
    mayOperate: computed(() => me.value?.permissions.includes('operate') ?? false),
    load,
    async signIn(name: string, password: string): Promise<void> {
      await client.call('signIn', { body: { name, password } });
      await load();
    },
    async signOut(): Promise<void> {
      await client.call('signOut');
      me.value = undefined;
    },
  };
}

/** An error as the page says it. */
export function sentenceOf(error: unknown): string {
  if (error instanceof ProblemError) return `${error.problem.title}. ${error.problem.detail}`;
  if (error instanceof NoServiceError) return 'The service does not answer.';
  return (error as Error).message;
}
