import type { Attempt, CameraState, Delivery, GuardResult, LightValue, SkipReason, Verdict } from '@causalis/contract';
import { clockText, durationText } from './quantity.js';

/** One guard's judgement: `mode is closed`, `mode is open, not closed`. */
export function guardText(result: GuardResult): string {
  if (result.guard === 'mode')
    return result.holds ? `mode is ${result.saw}` : `mode is ${result.saw}, not ${result.wanted.replaceAll(', ', ' or ')}`;
  return result.holds ? `${result.saw} lies in ${result.wanted}` : `${result.saw} lies outside ${result.wanted}`;
}

/** Why a rule was held, with the value that decided. */
export function heldText(verdict: Verdict, timezone: string): string {
  const by = verdict.by;
  if (!by) return '';
  switch (by.kind) {
    case 'inactive':
      return 'the rule is switched off';
    case 'late':
      return `came in ${durationText(by.byMs)} late, more than ${durationText(by.mostMs)}`;
    case 'guard': {
      const guard = verdict.guards[by.index];
      return guard ? guardText(guard) : 'a guard did not hold';
    }
    case 'cooldown':
      return `cooling down since ${clockText(by.since, timezone)}, ${durationText(by.leftMs)} left`;
    case 'circle':
      return `${by.depth} firings of Causalis lie behind it: it would turn in a circle`;
  }
}

const skips: Record<SkipReason, string> = {
  'needed-failed': 'skipped: what it needed failed',
  'needed-late': 'skipped: what it needed did not come in time',
  'no-picture': 'skipped: there was no picture',
  'rule-changed': 'skipped: the document no longer has its recipient',
  'no-camera': 'skipped: the event has no camera',
};
export const skipText = (reason: SkipReason): string => skips[reason];

const attemptTexts: Readonly<Record<string, readonly [what: string, mend: string]>> = {
  accepted: ['accepted', ''],
  kept: ['kept', ''],
  'no-answer': ['no answer in time', 'See whether the other side runs and is reached from here.'],
  'connection-refused': ['connection refused', 'Nothing listens there: see whether it runs, and the port.'],
  'host-unknown': ['host not found', 'Correct the name of the host.'],
  'connection-broken': ['connection broken', 'It is tried again.'],
  'not-secure': ['no secure connection', 'Correct security: and the port; the certificate may be wrong or self-signed.'],
  'login-refused': ['login refused', 'Write the password again; some mail services want an app password.'],
  'recipient-refused': ['recipient refused', 'Correct the member’s address.'],
  refused: ['refused by the other side', 'Its own words say why.'],
  busy: ['the other side is busy', 'It is tried again.'],
  'status-refused': ['answered with an error', 'See the other system’s log under this key.'],
  redirect: ['answered with a redirect', 'Write the final address: calls follow no redirect.'],
  'address-forbidden': ['the address is not allowed', 'Link-local addresses, the database and Causalis itself are never called.'],
  'broker-away': ['the broker does not answer', 'See whether it runs and is reached from here.'],
  'too-late': ['not sent: its time was over', ''],
  'output-gone': ['the output is no longer in the document', 'Add it again, or cancel the delivery.'],
  'secret-not-set': ['its secret is not set', 'Run: causalis secret set NAME'],
  'secret-not-bound': ['its secret was not given for this address', 'Write it again: causalis secret set NAME'],
  'no-picture': ['no picture of that moment', 'See the camera’s state at that time.'],
  'disk-full': ['no room on the disk', 'Make room.'],
  'not-known': ['the service ended before it knew the answer', 'It is tried again with the same key.'],
  'went-wrong': ['something went wrong in Causalis', 'It is in the log.'],
};

/** What an attempt came to, in words, and the mend where there is one. */
export function attemptText(attempt: Pick<Attempt, 'code' | 'answer'>): { what: string; mend: string } {
  const [what, mend] = attemptTexts[attempt.code] ?? attemptTexts['went-wrong'];
  return { what: attempt.answer ? `${what}: ${attempt.answer}` : what, mend };
}
export const attemptCodes = Object.keys(attemptTexts);

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

const cameraReasons: Readonly<Record<string, string>> = {
  connecting: 'connecting',
  'connection-refused': 'connection refused',
  'host-unknown': 'host not found',
  'no-answer': 'no answer',
  'not-authorised': 'user or password refused',
  'not-found': 'nothing at this path',
  'wrong-type': 'what answers sends no multipart pictures',
  'no-pictures': 'connected, but no pictures come',
  'connection-broken': 'connection broken',
  'secret-not-set': 'its password is not set',
  'secret-not-bound': 'its password was not given for this address',
  'watcher-ended': 'its watcher ended and is started again',
  'status-refused': 'answers with an error',
};

/** Arrivals of a camera that were no picture, in words; empty when there were none. */
export const brokenText = ({ broken }: CameraState): string =>
  broken ? `${broken.count === 1 ? 'one arrival was' : `${broken.count} arrivals were`} no picture (${broken.last})` : '';

/** How a camera is, in words. */
export function cameraText(state: CameraState): string {
  if (state.state !== 'lost') return state.settling ? `${state.state}, settling` : state.state;
  const reason = state.reason ? (cameraReasons[state.reason.code] ?? state.reason.code) : 'no pictures';
  return `lost: ${reason}${state.reason?.detail ? ` (${state.reason.detail})` : ''}`;
}
