import type { LightValue, Output, Verb } from '@causalis/contract';
import { type Claim, claimOutput, setOutput, untouched } from '../delivery/claims.js';
import { retryPolicies } from '../delivery/policy.js';
import type { DeliveryContent, NewDelivery } from '../entry.js';
import { fillTemplate, type TemplateField } from '../rules/template.js';
import { stateKeys } from '../state.js';
import { localDayTime } from '../time/schedule.js';
import { setTimer, type Work } from '../work.js';
import type { ClaimOrigin, OpenFiring, Started } from './firing.js';
import { mayLook, untouchedHead } from './head.js';
import type { ActionPlan } from './plan.js';

/** A light that was only tried goes back after this long. */
const testedMs = 3_000;
/** A head that was only tried goes back after this long: it needs a while to arrive. */
const triedLookMs = 10_000;

type Part = Pick<NewDelivery, 'output' | 'recipient'> & { content: Partial<DeliveryContent> };

/** Adds one delivery of an action to the work. */
function deliver(work: Work, firing: OpenFiring, plan: ActionPlan, { output, recipient, content }: Part): string {
  const id = work.newId();
  work.deliveries.push({
    id,
    firing: firing.id,
    event: firing.event.id,
    rule: firing.rule,
    action: plan.name,
    output,
    ...(recipient === undefined ? {} : { recipient }),
    priority: firing.priority,
    back: false,
    test: firing.event.test,
    expiresMs: retryPolicies[plan.verb].expiresMs,
    content: {
      ...(plan.once ? { once: true } : {}),
      verb: plan.verb,
      stills: [],
      event: firing.event,
      rule: firing.rule,
      title: firing.title,
      at: firing.at,
      ...content,
    },
  });
  return id;
}

/** What the texts of a firing may say. */
function fieldsOf(work: Work, firing: OpenFiring): Record<TemplateField, string> {
  const { event } = firing;
  const source = work.site.titles[event.source] ?? event.source;
  return {
    label: event.data.label ?? 'something',
    who: event.data.who ?? 'somebody',
    mark: event.mark ?? 'picture',
    camera: source,
    source,
    time: localDayTime(work.site.zone, event.time),
    mode: firing.mode,
    rule: firing.title,
    site: work.site.name,
  };
}

const words = (work: Work, firing: OpenFiring, plan: ActionPlan) =>
  plan.words === undefined ? {} : { words: fillTemplate(plan.words, fieldsOf(work, firing)) };

type Start = (work: Work, firing: OpenFiring, plan: ActionPlan, stills: readonly string[]) => Started;

const tell: Start = (work, firing, plan, stills) => {
  let deliveries = 0;
  if (plan.recipient !== undefined && plan.output !== undefined) {
    const content = { ...words(work, firing, plan), to: plan.recipient, stills };
    deliver(work, firing, plan, { output: plan.output, recipient: plan.recipient, content });
    deliveries++;
  }
  for (const key of plan.members) {
    const member = work.site.members[key];
    for (const way of member?.ways ?? []) {
      deliver(work, firing, plan, {
        output: way.over,
        recipient: way.mail,
        content: { ...words(work, firing, plan), member: member.name, to: way.mail, stills },
      });
      deliveries++;
    }
  }
  return deliveries > 0 ? { deliveries } : { skipped: 'rule-changed' };
};

const still: Start = (work, firing, plan) => {
  const camera = plan.camera ?? (work.site.cameras.has(firing.event.source) ? firing.event.source : undefined);
  if (camera === undefined) return { skipped: 'no-camera' };
  deliver(work, firing, plan, { output: 'media', content: { camera } });
  return { deliveries: 1 };
};

const call: Start = (work, firing, plan, stills) => {
  // Pictures of an action that this call waited for are named in it too.
  const needed = plan.needs.flatMap(({ action }) => firing.actions.find((one) => one.plan.name === action)?.stills ?? []);
  const output = plan.output ?? '';
  deliver(work, firing, plan, { output, content: { ...words(work, firing, plan), stills: [...new Set([...stills, ...needed])] } });
  return { deliveries: 1 };
};

const restOf = (output: Output | undefined): LightValue => (output && 'rest' in output ? output.rest : { power: false });

const set: Start = (work, firing, plan) => {
  const output = plan.output ?? '';
  const value = plan.to ?? { power: true };
  const key = stateKeys.output(output);
  const state = work.state.get(key) ?? untouched;
  const forMs = firing.event.test ? Math.min(plan.forMs ?? testedMs, testedMs) : plan.forMs;
  const origin: ClaimOrigin = { rule: firing.rule, title: firing.title, event: firing.event };
  const { steady } = work.now;
  const { state: next, send } =
    forMs === undefined
      ? setOutput(state, value, firing.priority, steady)
      : claimOutput(
          state,
          { origin, firing: firing.id, action: plan.name, value, priority: firing.priority, until: steady + forMs },
          restOf(work.site.outputs[output]),
          steady,
        );
  if (forMs !== undefined) setTimer(work, { due: steady + forMs, for: { kind: 'claim', output } });
  const delivery = send === undefined ? undefined : deliver(work, firing, plan, { output, content: { value: send } });
  work.state.set(key, delivery === undefined ? next : { ...next, delivery });
  return { deliveries: delivery === undefined ? 0 : 1 };
};

const look: Start = (work, firing, plan) => {
  const { camera = '', preset = 'home' } = plan;
  const key = stateKeys.head(camera);
  const state = work.state.get(key) ?? untouchedHead;
  const { steady } = work.now;
  const held = mayLook(state, firing.priority, steady);
  if (held) return { skipped: held };
  const forMs = firing.event.test ? Math.min(plan.forMs ?? triedLookMs, triedLookMs) : plan.forMs;
  const origin: ClaimOrigin = { rule: firing.rule, title: firing.title, event: firing.event };
  const until = forMs === undefined ? undefined : steady + forMs;
  const now = { origin, firing: firing.id, action: plan.name, preset, priority: firing.priority, since: steady };
  if (until !== undefined) setTimer(work, { due: until, for: { kind: 'look', camera } });
  const delivery = deliver(work, firing, plan, { output: camera, content: { camera, preset } });
  // One that stays is where later ones go back to.
  work.state.set(key, until === undefined ? { rest: preset, now, delivery } : { rest: state.rest, now: { ...now, until }, delivery });
  return { deliveries: 1 };
};

const starts: Record<Verb, Start> = { tell, still, call, set, look };

/** Adds the delivery of something that goes back to what it was: it belongs to the firing that held it, and never expires. */
function deliverBack(
  work: Work,
  output: string,
  { origin: { rule, title, event }, firing, action, priority }: Pick<Claim<ClaimOrigin>, 'origin' | 'firing' | 'action' | 'priority'>,
  content: Pick<DeliveryContent, 'verb' | 'value' | 'camera' | 'preset'>,
): string {
  const id = work.newId();
  work.deliveries.push({
    id,
    firing,
    event: event.id,
    rule,
    action,
    output,
    priority,
    back: true,
    test: event.test,
    expiresMs: null,
    content: { ...content, stills: [], event, rule, title, at: work.now.wall },
  });
  return id;
}

/** A head goes back when a look has ended; nothing when a hand or another look has taken its place. */
export function lookBack(work: Work, camera: string): void {
  const key = stateKeys.head(camera);
  const state = work.state.get(key);
  const last = state?.now;
  if (!state || last?.until === undefined || last.until > work.now.steady) return;
  const id = deliverBack(work, camera, last, { verb: 'look', camera, preset: state.rest });
  work.state.set(key, { rest: state.rest, delivery: id });
}

/** Starts one action of a firing: its deliveries go into the work, and a light gets its claim. */
export const startAction: Start = (work, firing, plan, stills) => starts[plan.verb](work, firing, plan, stills);

/** Sends a light back to what it was; the delivery belongs to the firing whose claim ended last and never expires. */
export function sendBack(work: Work, output: string, claim: Claim<ClaimOrigin>, value: LightValue): void {
  const id = deliverBack(work, output, claim, { verb: 'set', value });
  const key = stateKeys.output(output);
  work.state.set(key, { ...(work.state.get(key) ?? untouched), delivery: id });
}
