import type { Attempt, CameraState, Delivery, GuardResult, LightValue, SkipReason, Verdict, WayStep } from '@causalis/contract';
import { type Language, textsIn } from './catalogue.js';
import { fill } from './fill.js';
import { clockText, durationText } from './quantity.js';

const either = (wanted: string): string => wanted.replaceAll(', ', ' or ');

/** One guard's judgement: `mode is closed`, `mode is open, not closed`. */
export function guardText(result: GuardResult, language?: Language): string {
  const texts = textsIn(language).guards[result.guard];
  return fill(result.holds ? texts.holds : texts.fails, { saw: result.saw, wanted: either(result.wanted) });
}

/** What held a rule back, as it is counted: `cooldown`, `guard:mode`; nothing for one that fired. */
export function heldReason({ by, guards }: Pick<Verdict, 'by' | 'guards'>): string | undefined {
  if (!by) return undefined;
  return by.kind === 'guard' ? `guard:${guards[by.index]?.guard ?? '?'}` : by.kind;
}

/** How often a rule fired or was held by what, in words: `fired 3 times, held 12 times: 10 cooling down, 2 in another mode`. */
export function countsText(counts: Readonly<Record<string, number>>, language?: Language): string {
  const { reasons } = textsIn(language);
  const times = (n: number) => (n === 1 ? 'once' : `${n} times`);
  const held = Object.entries(counts).filter(([reason]) => reason !== 'fired');
  const all = held.reduce((sum, [, n]) => sum + n, 0);
  const fired = counts.fired ? `fired ${times(counts.fired)}` : 'did not fire';
  if (all === 0) return fired;
  const by = held.sort((a, b) => b[1] - a[1]).map(([reason, n]) => `${n} ${reasons[reason] ?? reason}`);
  return `${fired}, held ${times(all)}: ${by.join(', ')}`;
}

/** Why a rule was held, with the value that decided. */
export function heldText(verdict: Verdict, timezone: string, language?: Language): string {
  const by = verdict.by;
  if (!by) return '';
  switch (by.kind) {
    case 'inactive':
      return 'the rule is switched off';
    case 'late':
      return `came in ${durationText(by.byMs)} late, more than ${durationText(by.mostMs)}`;
    case 'guard': {
      const guard = verdict.guards[by.index];
      return guard ? guardText(guard, language) : 'a guard did not hold';
    }
    case 'cooldown':
      return `cooling down since ${clockText(by.since, timezone)}, ${durationText(by.leftMs)} left`;
    case 'circle':
      return `${by.depth} firings of Causalis lie behind it: it would turn in a circle`;
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

/** A step of the way to another side, in words. */
export const stepText = (step: WayStep['step'], language?: Language): string => textsIn(language).steps[step];

/** Plain name of a kind of output. */
export const outputKindText = (kind: string, language?: Language): string =>
  (textsIn(language).outputKinds as Readonly<Record<string, string>>)[kind] ?? kind;

/** What a light is set to: `on`, `off`, `on at 40%`. */
export const lightText = (value: LightValue): string =>
  value.power ? (value.level === undefined ? 'on' : `on at ${Math.round(value.level * 100)}%`) : 'off';

/** What a delivery does, in a few words. */
export function deliveryText(delivery: Pick<Delivery, 'output' | 'recipient' | 'sets' | 'back'>): string {
  if (delivery.sets)
    return delivery.back ? `${delivery.output} back to ${lightText(delivery.sets)}` : `${delivery.output} ${lightText(delivery.sets)}`;
  if (delivery.output === 'media') return 'kept as a picture';
  return delivery.recipient ? `${delivery.recipient} over ${delivery.output}` : delivery.output;
}

/** Arrivals of a camera that were no picture, in words; empty when there were none. */
export const brokenText = ({ broken }: CameraState): string =>
  broken ? `${broken.count === 1 ? 'one arrival was' : `${broken.count} arrivals were`} no picture (${broken.last})` : '';

/** How a camera is, in words. */
export function cameraText(state: CameraState, language?: Language): string {
  if (state.state !== 'lost') return state.settling ? `${state.state}, settling` : state.state;
  const reason = state.reason ? (textsIn(language).cameras[state.reason.code] ?? state.reason.code) : 'no pictures';
  return `lost: ${reason}${state.reason?.detail ? ` (${state.reason.detail})` : ''}`;
}
