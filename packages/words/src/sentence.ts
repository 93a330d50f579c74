import { type Action, durationMs, type Guard, guardNames, type Rule, type Verb, verbOf } from '@causalis/contract';
import { type Catalogue, type Language, textsIn } from './catalogue.js';
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

type Texts = Catalogue['sentence'];

const list = (names: readonly string[], last: string): string =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} ${last} ${names.at(-1)}`;

const inWords = (ms: number) => durationText(ms).replace(/ 00 [sm]$/, '');

function actionPiece(action: Action, title: (key: string) => string, texts: Texts, language?: Language): string {
  const verbs: Record<Verb, () => string> = {
    tell: () => fill(texts.tell, { whom: list((action.tell ?? []).map(title), texts.last), with: action.with ? texts.withPicture : '' }),
    still: () => (action.still?.camera ? fill(texts.stillOf, { camera: title(action.still.camera) }) : texts.still),
    call: () => {
      const needed = (action.needs ?? []).map((need) => need.action);
      const after = needed.length > 0 ? fill(texts.after, { actions: list(needed, texts.last) }) : '';
      return fill(texts.call, { output: title(action.call ?? ''), after });
    },
    set: () =>
      fill(texts.set, {
        output: title(action.set ?? ''),
        value: action.to ? lightText(action.to, language) : '',
        for: action.for ? fill(texts.for, { time: inWords(durationMs(action.for)) }) : '',
      }),
    look: () =>
      fill(texts.look, {
        camera: title(action.look ?? ''),
        preset: action.preset ?? '',
        for: action.for ? fill(texts.for, { time: inWords(durationMs(action.for)) }) : '',
      }),
  };
  return verbs[verbOf(action)]();
}

function guardSentence(guard: Guard, title: (key: string) => string, language?: Language): string {
  const name = guardNames.find((word) => guard[word] !== undefined);
  if (!name) return '';
  const { guards, sentence } = textsIn(language);
  const value = guard[name];
  return fill(guards[name].sentence, { wanted: list((Array.isArray(value) ? value : [String(value)]).map(title), sentence.or) });
}

type Say = (text: string, part?: Piece['part']) => void;

/** The cause: what begins where, or which source does what. */
function sayCause({ cause }: Rule, title: (key: string) => string, texts: Texts, say: Say, language?: Language): void {
  const any = (names: readonly string[]) => list(names, texts.or);
  const where = cause.at ? any(cause.at.map(title)) : undefined;
  const what = any(cause.event.map((kind) => kindText(kind, language)));
  if (cause.event.every((kind) => kind.startsWith('motion.'))) {
    say(what, 'event');
    if (cause.mark) {
      say(texts.onThe);
      say(any(cause.mark), 'mark');
      if (where) say(texts.of);
    } else if (where) say(texts.at);
    if (where) say(where, 'source');
  } else {
    if (!cause.event.includes('mode.changed')) {
      say(where ?? texts.anySource, 'source');
      say(' ');
    }
    say(what, 'event');
  }
  if (cause.label) say(fill(texts.withLabel, { label: any(cause.label) }), 'event');
  if (cause.who) say(fill(texts.about, { who: any(cause.who) }), 'event');
  if (cause.reading) say(fill(texts.reading, { reading: any(cause.reading) }), 'event');
  if (cause.direction) say(fill(texts.direction, { direction: cause.direction }), 'event');
  if (cause.sure !== undefined) say(fill(texts.sure, { percent: Math.round(cause.sure * 100) }), 'event');
}

/** A rule as a sentence, in pieces. */
export function ruleSentence(rule: Rule, titles: Titles = {}, language?: Language): Piece[] {
  const { sentence: texts } = textsIn(language);
  const title = (key: string) => titles[key] ?? key;
  const pieces: Piece[] = [{ text: texts.when }];
  const say: Say = (text, part) => pieces.push(part ? { text, part } : { text });
  sayCause(rule, title, texts, say, language);
  for (const [i, guard] of (rule.guards ?? []).entries()) {
    say(i === 0 ? texts.while : texts.and);
    say(guardSentence(guard, title, language), 'guard');
  }
  const actions = Object.values(rule.actions);
  say(texts.comma);
  if (actions.length === 0) say(texts.record, 'action');
  for (const [i, action] of actions.entries()) {
    if (i > 0) say(i === actions.length - 1 ? texts.and : texts.comma);
    say(actionPiece(action, title, texts, language), 'action');
  }
  if (rule.cooldown) {
    say(texts.thenNotFor);
    say(inWords(durationMs(rule.cooldown.for)), 'cooldown');
    if (rule.cooldown.per.length > 0) say(fill(texts.per, { parts: list(rule.cooldown.per, texts.last) }), 'cooldown');
  }
  say(texts.end);
  return pieces;
}

/** A rule's sentence as plain text. */
export const ruleText = (rule: Rule, titles: Titles = {}, language?: Language): string =>
  ruleSentence(rule, titles, language)
    .map(({ text }) => text)
    .join('');
