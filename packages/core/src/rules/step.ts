import { endClaims, readBackOutput, untouched } from '../delivery/claims.js';
import type { Entry, EventIn, StepResult } from '../entry.js';
import { goOn } from '../firing/fire.js';
import { deliveryEnded } from '../firing/firing.js';
import { lookBack, sendBack } from '../firing/start.js';
import { type Now, Overlay, type StateView, stateKeys } from '../state.js';
import type { Work } from '../work.js';
import { operate, retryDelivery, sendAgain, tryRule } from './by-hand.js';
import type { CompiledSite } from './compile.js';
import { memberGone } from './presence.js';
import { renameOutputs } from './rename.js';
import { takeEvent } from './take.js';

type Of<K extends Entry['kind']> = Extract<Entry, { kind: K }>;

function changeMode(work: Work, { mode, by }: Of<'mode'>): void {
  const { state, site, now } = work;
  const from = state.get(stateKeys.mode) ?? site.firstMode;
  state.set(stateKeys.mode, mode);
  const event: EventIn = {
    id: work.newId(),
    kind: 'mode.changed',
    section: 'site',
    source: site.key,
    data: { from, to: mode, by },
    time: now.wall,
    seen: now.wall,
    depth: 0,
    test: false,
  };
  takeEvent(work, event);
}

function timerCameDue(work: Work, { id }: Of<'timer'>): void {
  const { state } = work;
  const timer = state.get(stateKeys.timer(id));
  state.set(stateKeys.timer(id), null);
  const left = timer?.for.kind === 'presence' ? memberGone(work, timer.for.member) : undefined;
  if (left) takeEvent(work, left);
  if (timer?.for.kind === 'look') lookBack(work, timer.for.camera);
  if (timer?.for.kind === 'claim') endClaimsOf(work, timer.for.output);
  const firing = timer?.for.kind === 'need' ? state.get(stateKeys.firing(timer.for.firing)) : undefined;
  if (firing) goOn(work, firing);
}

function endClaimsOf(work: Work, key: string): void {
  const { state: next, send, ended } = endClaims(work.state.get(stateKeys.output(key)) ?? untouched, work.now.steady);
  work.state.set(stateKeys.output(key), next);
  const last = ended.at(-1);
  if (send && last) sendBack(work, key, last, send);
}

function deliveryHasEnded(work: Work, { delivery }: Of<'ended'>): void {
  const firing = delivery.aside ? undefined : work.state.get(stateKeys.firing(delivery.firing));
  if (firing) goOn(work, deliveryEnded(firing, delivery.action, delivery.state === 'delivered', delivery.stills, work.now.wall));
}

function deviceHasTold(work: Work, { output, value }: Of<'read-back'>): void {
  const before = work.state.get(stateKeys.output(output)) ?? untouched;
  const { state: next, meaning } = readBackOutput(before, value, work.now.steady);
  work.state.set(stateKeys.output(output), next);
  if (meaning === 'receipt' && before.delivery) work.receipts.push({ delivery: before.delivery, kind: 'read-back', value });
}

const ways: { readonly [K in Entry['kind']]: (work: Work, entry: Of<K>) => void } = {
  event: (work, { event }) => takeEvent(work, event),
  mode: changeMode,
  timer: timerCameDue,
  ended: deliveryHasEnded,
  'read-back': deviceHasTold,
  reset: (work, { counter }) => work.state.set(stateKeys.counter(counter), null),
  try: tryRule,
  hand: operate,
  retry: retryDelivery,
  again: (work, { delivery }) => sendAgain(work, delivery),
  revision: (work, { renamed }) => renameOutputs(work, renamed),
};

/**
 * The way of an entry through the core. A function of its arguments alone: live running, rehearsal and tests call it
 * with the same entries and get the same results. Ids and both clocks are handed in.
 */
export function step(site: CompiledSite, view: StateView, entry: Entry, now: Now, newId: () => string): StepResult {
  const state = new Overlay(view);
  const work: Work = { site, state, now, newId, events: [], firings: new Map(), deliveries: [], receipts: [] };
  // The kind picks its own way; TypeScript cannot tie the two by itself.
  (ways[entry.kind] as (work: Work, entry: Entry) => void)(work, entry);
  const { events, firings, deliveries, receipts } = work;
  return { events, firings: [...firings.values()], deliveries, receipts, changes: state.changes };
}
