import { type Action, durationMs, type LightValue, type Verb, verbOf } from '@causalis/contract';

/** An action in plain numbers; small and serialisable, because an open firing keeps its plan over a restart. */
export interface ActionPlan {
  readonly name: string;
  readonly verb: Verb;
  readonly members: readonly string[];
  /** The output of a call or a light. */
  readonly output?: string;
  readonly camera?: string;
  readonly words?: string;
  /** The action whose pictures go along. */
  readonly with?: string;
  readonly to?: LightValue;
  readonly preset?: string;
  readonly forMs?: number;
  /** Address of somebody who is no member: who tests an output says where to. */
  readonly recipient?: string;
  /** Tried once. */
  readonly once?: boolean;
  readonly needs: readonly { readonly action: string; readonly forMs: number; readonly orElse: 'go' | 'skip' }[];
}

/** A picture that goes along is waited for this long; the message then goes without it. */
const withMs = 10_000;

/** An action of the document in plain numbers. `with` waits for the named action by itself. */
export function planAction(name: string, action: Action): ActionPlan {
  const needs = (action.needs ?? []).map((need) => ({ action: need.action, forMs: durationMs(need.for), orElse: need.else }));
  if (action.with !== undefined && !needs.some((need) => need.action === action.with))
    needs.push({ action: action.with, forMs: withMs, orElse: 'go' });
  const output = action.call ?? action.set;
  const camera = action.look ?? action.still?.camera;
  return {
    name,
    verb: verbOf(action),
    members: action.tell ?? [],
    ...(output === undefined ? {} : { output }),
    ...(camera === undefined ? {} : { camera }),
    ...(action.preset === undefined ? {} : { preset: action.preset }),
    ...(action.words === undefined ? {} : { words: action.words }),
    ...(action.with === undefined ? {} : { with: action.with }),
    ...(action.to === undefined ? {} : { to: action.to }),
    ...(action.for === undefined ? {} : { forMs: durationMs(action.for) }),
    needs,
  };
}
