import type { Guard } from '@causalis/contract';
import type { GuardKind } from './contract.js';

type Wanted = NonNullable<Guard['reading']>;

/** Inputs read as wanted: a word, one of some words, or a number within bounds. All of them hold. */
export const readingGuard: GuardKind<Wanted> = {
  compile(wanted) {
    const parts = Object.entries(wanted).map(([input, value]) => ({ input, value }));
    const said = parts.map(({ input, value }) => {
      if (Array.isArray(value)) return `${input} ${value.join(' or ')}`;
      const { above, below } = value;
      return [input, above === undefined ? '' : `above ${above}`, below === undefined ? '' : `below ${below}`].filter(Boolean).join(' ');
    });
    return {
      wanted: said.join(', '),
      judge: ({ reading }) => {
        const seen = parts.map(({ input }) => reading(input));
        const holds = parts.every(({ value }, i) => {
          const now = seen[i];
          if (!now) return false;
          if (Array.isArray(value)) return now.reading !== undefined && value.includes(now.reading);
          const { number } = now;
          return (
            number !== undefined &&
            (value.above === undefined || number > value.above) &&
            (value.below === undefined || number < value.below)
          );
        });
        return { holds, saw: parts.map(({ input }, i) => `${input} ${seen[i]?.reading ?? seen[i]?.number ?? 'not known'}`).join(', ') };
      },
    };
  },
  check(wanted, document, path, mustBe) {
    for (const [input, value] of Object.entries(wanted)) {
      if (!mustBe('input', input, Object.keys(document.inputs), [...path, input])) continue;
      const { readings } = document.inputs[input];
      if (Array.isArray(value) && readings)
        for (const one of value) mustBe('reading', one, [...new Set(Object.values(readings))], [...path, input]);
    }
  },
};
