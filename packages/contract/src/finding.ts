import { z } from 'zod';
import { knownWords } from './known-words.js';
import { nearest, plainLine } from './text.js';

/** What the check says of a document or a body: structure only, its text comes from `words`. */
export const Finding = z.object({
  level: z.enum(['error', 'warning', 'hint']),
  /** Stable word for what is wrong; `words` has a sentence and a mend for each. */
  code: z.string(),
  /** Names from the outside in, such as `rules`, `night-visitor`, `cooldown`, `for`. */
  path: z.array(z.union([z.string(), z.number()])),
  /** What the sentence needs: the value refused, what was expected, the nearest known name. */
  values: z.record(z.string(), z.union([z.string(), z.number()])),
  /** Where it stands in the text, from 1; absent when there was no text. */
  place: z.object({ line: z.number().int(), column: z.number().int() }).optional(),
});
export type Finding = z.infer<typeof Finding>;
export type FindingValues = Finding['values'];

/** A refinement of a string that refuses with a code of ours. */
export const refuse =
  (code: string, holds: (text: string) => boolean) =>
  (text: string, ctx: z.RefinementCtx): void => {
    if (!holds(text)) ctx.addIssue({ code: 'custom', params: { code, values: { value: shown(text) } } });
  };

/** A value as a finding may show it: short and without control characters. */
export function shown(value: unknown): string {
  const text = typeof value === 'string' ? value : (JSON.stringify(value) ?? String(value));
  return plainLine(text, 60, '\u00b7');
}

function at(input: unknown, path: readonly (string | number)[]): unknown {
  let value = input;
  for (const step of path) {
    if (typeof value === 'object' && value !== null) value = (value as Record<string | number, unknown>)[step];
    // One value that stands for a list of one is its own first.
    else if (step !== 0) return undefined;
  }
  return value;
}

const typeNames: Record<string, string> = {
  string: 'a text',
  number: 'a number',
  int: 'a whole number',
  boolean: 'true or false',
  object: 'a map of words',
  record: 'a map of names',
  array: 'a list',
  tuple: 'a pair [x, y]',
};

/** What is asked of a caller that wants to know whether a word will come: see `isNotYet`. */
export type KnowsNotYet = (path: readonly (string | number)[], value?: unknown) => boolean;

/** Zod's issues as findings, all of them, in the order of the paths. */
export function findingsOf(error: z.ZodError, input: unknown, schema: z.ZodType, notYet: KnowsNotYet = () => false): Finding[] {
  const findings: Finding[] = [];
  const say = (code: string, path: readonly PropertyKey[], values: FindingValues = {}) =>
    findings.push({ level: 'error', code, path: path.map((p) => (typeof p === 'number' ? p : String(p))), values });

  const take = (issue: z.core.$ZodIssue): void => {
    const path = issue.path.map((p) => (typeof p === 'number' ? p : String(p)));
    const value = at(input, path);
    switch (issue.code) {
      case 'unrecognized_keys':
        for (const word of issue.keys) {
          const near = nearest(word, knownWords(schema, path));
          if (notYet([...path, word])) say('not-yet', [...path, word], { word: shown(word) });
          else say('unknown-word', [...path, word], { word: shown(word), ...(near === undefined || near === word ? {} : { near }) });
        }
        return;
      case 'invalid_type':
        if (value === undefined) say('missing', path, { expected: typeNames[issue.expected] ?? issue.expected });
        else say('wrong-type', path, { expected: typeNames[issue.expected] ?? issue.expected, value: shown(value) });
        return;
      case 'invalid_value':
        if (value !== undefined && notYet(path, value)) say('not-yet', path, { word: shown(value) });
        else
          say(value === undefined ? 'missing' : 'not-one-of', path, { expected: issue.values.map(String).join(', '), value: shown(value) });
        return;
      case 'invalid_union':
        if (issue.discriminator) {
          // The path of such an issue is that of the word that tells the forms apart.
          if (value !== undefined && notYet(path, value)) say('not-yet', path, { word: shown(value) });
          else
            say(value === undefined ? 'missing' : 'not-one-of', path, { value: shown(value), expected: 'the kinds that Causalis knows' });
          return;
        }
        say('wrong-type', path, { expected: 'another form', value: shown(value) });
        return;
      case 'too_small':
        say('too-small', path, { least: Number(issue.minimum), of: issue.origin, value: shown(value) });
        return;
      case 'too_big':
        say('too-big', path, { most: Number(issue.maximum), of: issue.origin, value: shown(value) });
        return;
      case 'invalid_key': {
        const inner = issue.issues[0];
        const own = inner?.code === 'custom' ? (inner.params as { code?: string } | undefined)?.code : undefined;
        say(own ?? 'bad-key', path, { value: shown(path.at(-1)) });
        return;
      }
      case 'invalid_format':
        say('bad-format', path, { expected: issue.format, value: shown(value) });
        return;
      case 'custom': {
        const params = issue.params as { code?: string; values?: FindingValues } | undefined;
        say(params?.code ?? 'refused', path, params?.values ?? { value: shown(value) });
        return;
      }
      default:
        say('refused', path, { value: shown(value) });
    }
  };
  for (const issue of error.issues) take(issue);
  return findings;
}
