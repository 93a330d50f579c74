import type { OpenFeed } from './contract.js';

/** Nothing is fetched: what the camera sends comes over its account, and is handed to its watch there. */
export const openPushed: OpenFeed<'pushed'> = async function* (_, signal) {
  if (!signal.aborted) await new Promise((resolve) => signal.addEventListener('abort', resolve, { once: true }));
};
