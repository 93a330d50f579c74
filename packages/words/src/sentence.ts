import { durationMs, type Guard, guardNames, type Rule, type Verb, verbOf } from '@causalis/contract';
import { type Language, textsIn } from './catalogue.js';
import { kindText } from './events.js';
import { fill } from './fill.js';
import { durationText } from './quantity.js';
import { lightText } from './verdicts.js';

/** A piece of a rule's sentence; `part` names what of the rule it says, and is underlined where it can be changed. */
export interface Piece {
  readonly text: string;
  readonly part?: 'source' | 'event' | 'mark' | 'guard' | 'action' | 'cooldown';
}

/** Names that a sentence uses instead of keys, where they are known. */
export type Titles = Readonly<Record<string, string>>;

const list = (names: readonly string[], last = 'or'): string =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} ${last} ${names.at(-1)}`;

const inWords = (ms: number) => durationText(ms).replace(/ 00 [sm]$/, '');

function actionPiece(name: string, rule: Rule, titles: Titles): string {
  const action = rule.actions[name];
  const title = (key: string) => titles[key] ?? key;
  const verbs: Record<Verb, () => string> = {
    tell: () => `tell ${list((action.tell ?? []).map(title), 'and')}${action.with ? ', with its picture' : ''}`,
    still: () => (action.still?.camera ? `take a still of ${title(action.still.camera)}` : 'take a still'),
    call: () =>
      `call ${title(action.call ?? '')}${
        action.needs?.length
          ? ` after ${list(
              action.needs.map((need) => need.action),
              'and',
            )}`
          : ''
      }`,
    set: () =>
      `set ${title(action.set ?? '')} ${action.to ? lightText(action.to) : ''}${action.for ? ` for ${inWords(durationMs(action.for))}` : ''}`,
  };
  return verbs[verbOf(action)]();
}

function guardSentence(guard: Guard, title: (key: string) => string, language?: Language): string {
  const name = guardNames.find((word) => guard[word] !== undefined);
  if (!name) return '';
  const value = guard[name];
  return fill(textsIn(language).guards[name].sentence, { wanted: list((Array.isArray(value) ? value : [String(value)]).map(title)) });
}

/** A rule as a sentence, in pieces. */
export function ruleSentence(rule: Rule, titles: Titles = {}, language?: Language): Piece[] {
  const { cause } = rule;
  const title = (key: string) => titles[key] ?? key;
  const pieces: Piece[] = [{ text: 'When ' }];
  const say = (text: string, part?: Piece['part']) => pieces.push(part ? { text, part } : { text });

  const motion = cause.event.every((kind) => kind.startsWith('motion.'));
  const where = cause.at ? list(cause.at.map(title)) : undefined;
  if (motion) {
    say(list(cause.event.map((kind) => kindText(kind, language))), 'event');
    if (cause.mark) {
      say(' on the ');
      say(list(cause.mark), 'mark');
      if (where) say(' of ');
    } else if (where) say(' at ');
    if (where) say(where, 'source');
  } else {
    if (!cause.event.includes('mode.changed')) {
      say(where ?? 'any source', 'source');
      say(' ');
    }
    say(list(cause.event.map((kind) => kindText(kind, language))), 'event');
  }
  if (cause.label) say(` with ${list(cause.label)}`, 'event');
  if (cause.who) say(` about ${list(cause.who)}`, 'event');
  if (cause.sure !== undefined) say(`, at least ${Math.round(cause.sure * 100)}% sure`, 'event');

  for (const [i, guard] of (rule.guards ?? []).entries()) {
    say(i === 0 ? ', while ' : ' and ');
    say(guardSentence(guard, title, language), 'guard');
  }
  const names = Object.keys(rule.actions);
  say(', ');
  if (names.length === 0) say('record it', 'action');
  for (const [i, name] of names.entries()) {
    if (i > 0) say(i === names.length - 1 ? ' and ' : ', ');
    say(actionPiece(name, rule, titles), 'action');
  }
  if (rule.cooldown) {
    say('; then not again for ');
    say(inWords(durationMs(rule.cooldown.for)), 'cooldown');
    if (rule.cooldown.per.length > 0) say(` per ${list(rule.cooldown.per, 'and')}`, 'cooldown');
  }
  say('.');
  return pieces;
}

/** A rule's sentence as plain text. */
export const ruleText = (rule: Rule, titles: Titles = {}): string =>
  ruleSentence(rule, titles)
    .map(({ text }) => text)
    .join('');
