import type { Attempt, CameraState, Delivery, GuardResult, LightValue, SkipReason, Verdict, WayStep } from '@causalis/contract';
import { type Language, textsIn } from './catalogue.js';
import { fill } from './fill.js';
import { clockText, durationText } from './quantity.js';

/** One guard's judgement: `mode is closed`, `mode is open, not closed`. */
export function guardText(result: GuardResult, language?: Language): string {
  const { guards, sentence } = textsIn(language);
  const { holds, fails } = guards[result.guard];
  return fill(result.holds ? holds : fails, { saw: result.saw, wanted: result.wanted.replaceAll(', ', ` ${sentence.or} `) });
}

/** What held a rule back, as it is counted: `cooldown`, `guard:mode`; nothing for one that fired. */
export function heldReason({ by, guards }: Pick<Verdict, 'by' | 'guards'>): string | undefined {
  if (!by) return undefined;
  return by.kind === 'guard' ? `guard:${guards[by.index]?.guard ?? '?'}` : by.kind;
}

/** How often a rule fired or was held by what, in words: `fired 3 times, held 12 times: 10 cooling down, 2 in another mode`. */
export function countsText(counts: Readonly<Record<string, number>>, language?: Language): string {
  const { reasons, counts: texts } = textsIn(language);
  const times = (n: number) => (n === 1 ? texts.once : fill(texts.times, { n }));
  const held = Object.entries(counts).filter(([reason]) => reason !== 'fired');
  const all = held.reduce((sum, [, n]) => sum + n, 0);
  const fired = counts.fired ? fill(texts.fired, { times: times(counts.fired) }) : texts.notFired;
  if (all === 0) return fired;
  const by = held.sort((a, b) => b[1] - a[1]).map(([reason, n]) => `${n} ${reasons[reason] ?? reason}`);
  return fill(texts.held, { fired, times: times(all), by: by.join(', ') });
}

/** Why a rule was held, with the value that decided. */
export function heldText(verdict: Verdict, timezone: string, language?: Language): string {
  const { by } = verdict;
  if (!by) return '';
  const { held } = textsIn(language);
  switch (by.kind) {
    case 'inactive':
      return held.inactive;
    case 'late':
      return fill(held.late, { by: durationText(by.byMs), most: durationText(by.mostMs) });
    case 'guard': {
      const guard = verdict.guards[by.index];
      return guard ? guardText(guard, language) : held.guard;
    }
    case 'cooldown':
      return fill(held.cooldown, { since: clockText(by.since, timezone), left: durationText(by.leftMs) });
    case 'circle':
      return fill(held.circle, { depth: by.depth });
  }
}

/** Why an action was skipped. */
export const skipText = (reason: SkipReason, language?: Language): string => textsIn(language).skips[reason];

/** What an attempt came to, in words, and the mend where there is one. */
export function attemptText(attempt: Pick<Attempt, 'code' | 'answer'>, language?: Language): { what: string; mend: string } {
  const { attempts } = textsIn(language);
  const [what, mend] = attempts[attempt.code] ?? attempts['went-wrong'];
  return { what: attempt.answer ? `${what}: ${attempt.answer}` : what, mend };
}
/** Every code that an attempt can end in. */
export const attemptCodes = Object.keys(textsIn().attempts);

/** Why something that arrived was not taken. */
export const refusedText = (reason: string, language?: Language): string => textsIn(language).arrivals[reason] ?? reason;

/** A step of the way to another side. */
export const stepText = (step: WayStep['step'], language?: Language): string => textsIn(language).steps[step];

/** Plain name of a kind of output. */
export const outputKindText = (kind: string, language?: Language): string =>
  (textsIn(language).outputKinds as Readonly<Record<string, string>>)[kind] ?? kind;

/** What a light is set to: `on`, `off`, `on at 40%`. */
export function lightText(value: LightValue, language?: Language): string {
  const { on, onAt, off } = textsIn(language).deliveries;
  if (!value.power) return off;
  return value.level === undefined ? on : fill(onAt, { percent: Math.round(value.level * 100) });
}

/** What a delivery does, in a few words. */
export function deliveryText(
  { output, recipient, sets, looks, back }: Pick<Delivery, 'output' | 'recipient' | 'sets' | 'looks' | 'back'>,
  language?: Language,
): string {
  const texts = textsIn(language).deliveries;
  if (sets) return fill(back ? texts.back : texts.set, { output, value: lightText(sets, language) });
  if (looks) return fill(back ? texts.looksBack : texts.looks, { output, preset: looks });
  if (output === 'media') return texts.kept;
  return recipient ? fill(texts.to, { recipient, output }) : output;
}

/** What stands in a rule's place where a hand tested or set an output. */
export function byHandText(output: string, test: boolean, language?: Language): string {
  const { testOf, byHand } = textsIn(language).deliveries;
  return fill(test ? testOf : byHand, { output });
}

/** Arrivals of a camera that were no picture, in words; empty when there were none. */
export function brokenText({ broken }: CameraState, language?: Language): string {
  if (!broken) return '';
  const { brokenOnce, broken: often } = textsIn(language).cameraStates;
  return fill(broken.count === 1 ? brokenOnce : often, { n: broken.count, last: broken.last });
}

/** Why a camera gives no pictures, in words. */
export function probeFailureText(
  { code, detail }: { readonly code?: string | undefined; readonly detail?: string | undefined },
  language?: Language,
): string {
  const { cameras, cameraStates: texts } = textsIn(language);
  const why = code ? (cameras[code] ?? code) : texts.noPictures;
  return `${why}${detail ? ` (${detail})` : ''}`;
}

/** A camera's clock that is wrong, in words; nothing when it is right within a few seconds. */
export function clockOffText({ clockMs }: { readonly clockMs?: number | undefined }, language?: Language): string[] {
  if (clockMs === undefined || Math.abs(clockMs) < 5_000) return [];
  const { clockAhead, clockBehind } = textsIn(language).cameraStates;
  return [fill(clockMs > 0 ? clockAhead : clockBehind, { by: durationText(Math.abs(clockMs)) })];
}

/** How a camera is, in words. */
export function cameraText({ state, settling, reason, view, recogniser, moving }: CameraState, language?: Language): string {
  const { cameraStates: texts } = textsIn(language);
  if (state === 'lost') return fill(texts.lost, { reason: probeFailureText(reason ?? {}, language) });
  const late = state === 'late' && reason ? `${state}: ${probeFailureText(reason, language)}` : state;
  const known =
    recogniser && recogniser.state !== 'working'
      ? fill(texts.recogniser, { state: recogniser.state, reason: recogniser.reason ?? '' }).trim()
      : '';
  return [settling ? fill(texts.settling, { state }) : late, moving ? texts.moving : '', view?.kind, known].filter(Boolean).join(', ');
}
