import type { Finding } from '@causalis/contract';
import { fill } from './fill.js';

/** What is wrong, and the mend, for each code of a finding. */
export const findingTexts: Readonly<Record<string, readonly [what: string, mend: string]>> = {
  missing: ['is missing: {expected} is needed here', 'Add it.'],
  'wrong-type': ['must be {expected}, not {value}', 'Write {expected}.'],
  'not-one-of': ['{value} is not one of: {expected}', 'Take one of them.'],
  'unknown-word': ['the word {word} is not known here', 'Look for a slip of the pen, or take it out.'],
  'not-yet': ['{word} belongs to the language, but this version does not carry it out yet', 'Take it out for now.'],
  'too-small': ['{value} is too small: at least {least}', 'Make it larger, or longer.'],
  'too-big': ['{value} is too large: at most {most}', 'Make it smaller, or shorter.'],
  'bad-format': ['{value} is no valid {expected}', 'Correct it.'],
  'bad-duration': ['{value} is no duration', 'Write it like 250ms, 5s, 2m, 1h30m or 30d.'],
  'bad-share': ['{value} is no share', 'Write it like 0.4% or 60%.'],
  'bad-stretch': ['{value} is no stretch of a day', 'Write it like "18:00-08:00", with quotes.'],
  'bad-days': ['{value} names no days', 'Write mon, tue, wed, thu, fri, sat, sun, or a row such as mon-thu.'],
  'bad-dates': ['{value} names no dates', 'Write a date like "2026-12-24", or a row like "2026-12-24..2026-12-26", first before last.'],
  'bad-timezone': ['{value} is no time zone', 'Take a name such as Europe/Dublin.'],
  'bad-key': ['{value} cannot be a key', 'Begin with a small letter, then small letters, digits and hyphens, 63 at most.'],
  'reserved-key': ['{value} has a meaning of its own and cannot be a key', 'Take another name.'],
  'key-taken': ['the key {value} is already used in {by}', 'Sources need keys of their own: take another.'],
  'bad-address': ['{value} is no address', 'Write it with {expected} and a host.'],
  'password-in-address': ['an address may not hold a user or password', 'Write user: and password: { secret: … } beside it.'],
  'bad-topic': ['{value} cannot be a topic', 'Leave out +, # and .., 200 characters at most.'],
  'bad-pointer': ['{value} is no JSON Pointer', 'Write it like /person/name (RFC 6901).'],
  'bad-network': ['{value} is no network', 'Write it like 192.168.1.0/24 or fd00::/8.'],
  'control-characters': ['the text holds control characters', 'Write it on one line, without them.'],
  'polygon-crosses': ['the outline crosses itself', 'Give the corners in the order in which one walks around the area.'],
  'one-of-these': ['needs exactly one of: {expected}', 'Write one of them, and only one.'],
  'word-not-here': ['{word} does not go with {action}', 'Take it out, or use another action.'],
  'unknown-name': ['there is no {what} called {value}', 'Known: {known}.'],
  'wrong-output': ['{value} is not an output of kind {expected}', 'Name one that is.'],
  'no-read-back': [
    'the light does not tell its own state',
    'Add read-back: and its topic, so that a switched light is confirmed and another hand is seen.',
  ],
  'no-zone': ['no zone is drawn, so the whole picture is watched', 'Draw a zone around what matters.'],
  'cause-cannot-come': ['{value} never gives {event}', 'Name a source that does, or another event.'],
  'no-source': ['nothing in the site gives {event}: there are no {section}', 'Add one, or take another event.'],
  'cause-cannot-know': ['{event} never says {field}', 'Take it out, or take an event that knows it.'],
  'still-of-what': ['the event need not come from a camera, so it is not clear which picture is meant', 'Write still: { camera: … }.'],
  'with-no-picture': ['the action {value} makes no picture', 'Name an action that says still.'],
  'unknown-field': ['the text has a field {value} that does not exist', 'Known: {known}.'],
  'text-knows-more': ['the text says more than {event} can know', 'Motion alone tells neither what nor who.'],
  'two-values': ['{value} is also set by the action {other} of the same firing', 'Set it once.'],
  'needs-in-circle': ['the actions wait for each other: {value}', 'Let one of them start by itself.'],
  'only-records': ['the rule has a cooldown and no actions: it only records', 'Give it an action, or leave out the cooldown.'],
  'secret-not-set': ['the secret {value} is not set', 'Run: causalis secret set {value}'],
  'secret-not-bound': ['the secret {value} was not given for {use}', 'Write it again: causalis secret set {value}'],
  'not-readable': ['the text cannot be read: {reason}', 'Correct the spelling of YAML or JSON there.'],
  'text-too-large': ['the text is larger than {most} bytes', 'Split the site.'],
  'too-deep': ['the text is nested deeper than {most} levels', 'Nothing in the language goes that deep.'],
  'too-many-values': ['the text holds more than {most} values', 'Repeat nothing by alias.'],
  refused: ['{value} is not accepted here', 'Correct it.'],
};

/** Path of a finding as people write it: `rules/night-visitor/cooldown/for`. */
export const pathText = (path: Finding['path']): string => (path.length === 0 ? 'the document' : path.join('/'));

/** A finding in words: what is wrong, the mend, and both with the place in one line. */
export function findingText(finding: Finding): { readonly what: string; readonly mend: string; readonly line: string } {
  const [what, mend] = findingTexts[finding.code] ?? findingTexts.refused;
  const near = finding.values.near === undefined ? '' : `Did you mean ${finding.values.near}? `;
  const said = fill(what, finding.values);
  const mended = near + fill(mend, finding.values);
  const place = finding.place ? `line ${finding.place.line}, column ${finding.place.column}: ` : '';
  return { what: said, mend: mended, line: `${place}${pathText(finding.path)}: ${said}. ${mended}` };
}
