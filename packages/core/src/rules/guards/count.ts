import type { Guard } from '@causalis/contract';
import { countNames } from '../counting.js';
import type { GuardKind } from './contract.js';

type Wanted = NonNullable<Guard['count']>;

/** Counters say so much: all of them hold. */
export const countGuard: GuardKind<Wanted> = {
  compile(wanted) {
    const parts = Object.entries(wanted).flatMap(([counter, bounds]) =>
      countNames.flatMap((name) => (bounds[name] ? [{ counter, name, ...bounds[name] }] : [])),
    );
    const said = parts.map(({ counter, name, above, below }) =>
      [`${counter} ${name}`, above === undefined ? '' : `above ${above}`, below === undefined ? '' : `below ${below}`]
        .filter(Boolean)
        .join(' '),
    );
    return {
      wanted: said.join(', '),
      judge: ({ counts }) => {
        const seen = parts.map(({ counter, name }) => counts(counter)?.[name] ?? 0);
        return {
          holds: parts.every(({ above, below }, i) => (above === undefined || seen[i] > above) && (below === undefined || seen[i] < below)),
          saw: parts.map(({ counter, name }, i) => `${counter} ${name} ${seen[i]}`).join(', '),
        };
      },
    };
  },
  check(wanted, document, path, mustBe) {
    const known = Object.entries(document.cameras).flatMap(([key, { marks }]) =>
      Object.entries(marks).flatMap(([name, mark]) => (mark.counter ? [`${key}/${name}`] : [])),
    );
    for (const name of Object.keys(wanted)) mustBe('counter', name, known, [...path, name]);
  },
};
