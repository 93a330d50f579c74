import type { GuardKind } from './contract.js';

/** The mode of the site is one of these. */
export const modeGuard: GuardKind<string[]> = {
  compile(modes) {
    const wanted = new Set(modes);
    return { wanted: modes.join(', '), judge: ({ mode }) => ({ holds: wanted.has(mode), saw: mode }) };
  },
  check(modes, document, path, mustBe) {
    for (const mode of modes) mustBe('mode', mode, document.site.modes, path);
  },
};
