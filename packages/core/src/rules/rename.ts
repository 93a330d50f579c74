import type { OpenFiring } from '../firing/firing.js';
import { stateKeys, type Timer } from '../state.js';
import type { Work } from '../work.js';

/** New keys of outputs, old to new: what is held and what is still to come goes on under the new one. */
export function renameOutputs(work: Work, renamed: Readonly<Record<string, string>>): void {
  const { state } = work;
  const newKey = (key: string | undefined) => (key !== undefined && Object.hasOwn(renamed, key) ? renamed[key] : undefined);
  const held = Object.entries(renamed).map(([from, to]) => ({ from, to, value: state.get(stateKeys.output(from)) }));
  for (const { from } of held) state.set(stateKeys.output(from), null);
  for (const { to, value } of held) if (value) state.set(stateKeys.output(to), value);
  for (const [name, value] of [...state.entries('timer/')]) {
    const timer = value as Timer;
    const to = timer.for.kind === 'claim' ? newKey(timer.for.output) : undefined;
    if (to !== undefined) state.set(name, { ...timer, for: { kind: 'claim', output: to } } satisfies Timer);
  }
  for (const [name, value] of [...state.entries('firing/')]) {
    const firing = value as OpenFiring;
    if (!firing.actions.some(({ plan }) => newKey(plan.output))) continue;
    const actions = firing.actions.map((action) => {
      const output = newKey(action.plan.output);
      return output === undefined ? action : { ...action, plan: { ...action.plan, output } };
    });
    state.set(name, { ...firing, actions } satisfies OpenFiring);
  }
}
