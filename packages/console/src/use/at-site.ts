import { computed } from 'vue';
import { useSession } from './session.js';

/** The site of a page: parameters for calls, and its time zone. A page is only shown where there is a site. */
export function useSite() {
  const { site, me } = useSession();
  const may = (permission: 'operate' | 'configure' | 'people') => computed(() => me.value?.permissions.includes(permission) ?? false);
  return { params: { site: site.value?.key ?? '' }, zone: site.value?.timezone ?? 'UTC', may };
}
