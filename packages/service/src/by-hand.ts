import {
  type ActionReport,
  type Delivery,
  declarationOf,
  durationMs,
  type LightValue,
  type SiteDocument,
  type TrialReport,
} from '@causalis/contract';
import { type Entry, type EventIn, type NewDelivery, type OpenFiring, retryPolicies, type StepResult, trialEvent } from '@causalis/core';
import { byHandText, deliveryText } from '@causalis/words';
import type { Clock } from './clock.js';
import type { Engine } from './engine/engine.js';
import { newId } from './ids.js';
import type { Database } from './ledger/database.js';
import { findDelivery } from './ledger/deliveries.js';
import { closedFiring } from './ledger/firings.js';
import { findTaken, type TakenDelivery } from './ledger/queue.js';
import { Refusal, unknownItem } from './problem.js';

export interface HandParts {
  readonly database: Database;
  readonly site: number;
  readonly clock: Clock;
  readonly engine: () => Engine;
  readonly document: () => SiteDocument;
  /** A delivery is due now. */
  readonly look: (steady: number) => void;
  readonly moved: (delivery: string) => void;
  /** Waits until a delivery is as wanted, or for so long. */
  readonly when: (delivery: string, wanted: (delivery: Delivery) => boolean, patienceMs: number) => Promise<Delivery | undefined>;
}

/** A test of an output is waited for this long, and the read-back of a light a little longer. */
const testMs = 32_000;
const readBackMs = 4_000;
/** More steps than any rule has actions: a dry trial ends. */
const mostSteps = 500;

const over = ({ state }: Delivery): boolean => !['waiting', 'sending', 'retrying'].includes(state);

/** What somebody does by hand: trials, tests, lights, and deliveries that are tried, cancelled or sent again. */
export class Hand {
  private readonly parts: HandParts;

  constructor(parts: HandParts) {
    this.parts = parts;
  }

  /** Fires a rule: dry, to see what it would do; or for real, marked as a test wherever it arrives. */
  async tryRule(rule: string, how: { readonly dry: boolean; readonly regardless: boolean }, by: string): Promise<TrialReport> {
    const { clock, engine } = this.parts;
    const now = { wall: clock.wall(), steady: clock.steady() };
    const event = trialEvent({ site: engine().site, now }, rule, newId(), by);
    if (!event) throw unknownItem('rule', rule, Object.keys(this.parts.document().rules));
    const entry: Entry = { kind: 'try', rule, event, regardless: how.regardless };
    if (how.dry) return dryReport(engine().rehearse(allArrives(entry)));
    const { result } = await engine().accept(entry);
    return { verdict: result.events[0].verdicts[0], event: event.id, actions: [] };
  }

  /** Tests an output the whole way, and answers when the test has ended. */
  async testOutput(key: string, to: string | undefined, by: string): Promise<Delivery> {
    const output = this.output(key);
    const { carries } = declarationOf(output);
    const recipient = carries === 'tell' ? (to ?? this.somebodyOver(key)) : undefined;
    if (carries === 'tell' && recipient === undefined) throw new Refusal('nowhere-to', { key });
    const id = await this.operate(key, this.event('output.tried', key, by, true), {
      ...(recipient === undefined ? {} : { recipient }),
      words: this.title(key, true),
    });
    const ended = await this.parts.when(id, over, testMs);
    const confirmable = output.kind === 'light' && output['read-back'] !== undefined && ended?.state === 'delivered';
    const told = confirmable ? await this.parts.when(id, ({ receipts }) => receipts.length > 0, readBackMs) : undefined;
    return told ?? ended ?? (await this.delivery(id));
  }

  /** Sets a light, for good or for a time. */
  async setOutput(key: string, { for: time, ...value }: LightValue & { readonly for?: string | undefined }, by: string): Promise<Delivery> {
    if (declarationOf(this.output(key)).carries !== 'set') throw new Refusal('not-a-light', { key });
    const id = await this.operate(key, this.event('output.set', key, by, false), {
      value,
      ...(time === undefined ? {} : { forMs: durationMs(time) }),
    });
    return (await this.parts.when(id, over, testMs)) ?? (await this.delivery(id));
  }

  /** Tries a delivery now that has not arrived; its attempts count on, its expiry begins anew, and its arrival counts. */
  async retry(id: string): Promise<Delivery> {
    const { clock, engine } = this.parts;
    const { delivery, state } = await this.taken(id);
    const firing = await this.firingOf(delivery);
    const steady = clock.steady();
    const { expiresMs } = delivery.back ? { expiresMs: null } : retryPolicies[delivery.content.verb];
    const expires = expiresMs === null ? null : steady + expiresMs;
    // Only what had ended opens its action again; one that waits is open already.
    const aside = standsAside(delivery) || !['failed', 'expired'].includes(state);
    if (!['waiting', 'retrying', 'failed', 'expired'].includes(state)) throw new Refusal('not-retryable', { state });
    await engine().accept(
      { kind: 'retry', delivery: { id, action: delivery.action, aside }, firing },
      { byHand: { delivery: id, does: 'retry', expires } },
    );
    this.parts.look(steady);
    this.parts.moved(id);
    return await this.delivery(id);
  }

  /** Cancels a delivery that waits or retries: for its firing it has failed. */
  async cancel(id: string): Promise<Delivery> {
    const { delivery, state } = await this.taken(id);
    if (!['waiting', 'retrying'].includes(state)) throw new Refusal('not-cancellable', { state });
    const { firing, action } = delivery;
    await this.parts
      .engine()
      .accept(
        { kind: 'ended', delivery: { id, firing, action, state: 'cancelled', aside: standsAside(delivery), stills: [] } },
        { byHand: { delivery: id, does: 'cancel', expires: null } },
      );
    return await this.delivery(id);
  }

  /** Sends what was sent once more, as a delivery of its own. */
  async sendAgain(id: string): Promise<Delivery> {
    const { delivery, state } = await this.taken(id);
    const { verb } = delivery.content;
    if (verb !== 'tell' && verb !== 'call')
      throw new Refusal('not-sendable', { why: 'Only messages and calls can be sent again; a light is set anew by hand.' });
    if (['waiting', 'sending', 'retrying'].includes(state))
      throw new Refusal('not-sendable', { why: `It is still ${state}: try it now, or cancel it first.` });
    const { expires: _, attempt: __, ...rest } = delivery;
    const { result } = await this.parts.engine().accept({ kind: 'again', delivery: { ...rest, expiresMs: retryPolicies[verb].expiresMs } });
    return await this.delivery(result.deliveries[0].id);
  }

  private event(kind: 'output.tried' | 'output.set', source: string, by: string, test: boolean): EventIn {
    const wall = this.parts.clock.wall();
    return { id: newId(), kind, section: 'outputs', source, data: { by }, time: wall, seen: wall, depth: 0, test };
  }

  private async operate(
    output: string,
    event: EventIn,
    what: { recipient?: string; words?: string; value?: LightValue; forMs?: number },
  ): Promise<string> {
    // A hand at a light beats every rule: its claim is the newest of the highest priority.
    const priority = declarationOf(this.output(output)).carries === 'set' ? 'urgent' : 'important';
    const { result } = await this.parts
      .engine()
      .accept({ kind: 'hand', output, title: this.title(output, event.test), event, priority, ...what });
    const [delivery] = result.deliveries;
    if (!delivery) throw new RangeError(`a hand at ${output} brought no delivery`);
    return delivery.id;
  }

  private title(output: string, test: boolean): string {
    return byHandText(output, test, this.parts.document().site.language);
  }

  private output(key: string) {
    const { outputs } = this.parts.document();
    if (!Object.hasOwn(outputs, key)) throw unknownItem('output', key, Object.keys(outputs));
    return outputs[key];
  }

  private somebodyOver(key: string): string | undefined {
    return Object.values(this.parts.document().members)
      .flatMap(({ ways }) => ways)
      .find(({ over: way }) => way === key)?.mail;
  }

  private async taken(id: string) {
    const found = await findTaken(this.parts.database, this.parts.site, id);
    if (!found) throw new Refusal('unknown-delivery', { id });
    return found;
  }

  private async firingOf(delivery: TakenDelivery): Promise<OpenFiring> {
    const firing = await closedFiring(this.parts.database, this.parts.site, delivery);
    if (!firing) throw unknownItem('firing', delivery.firing);
    return firing;
  }

  private async delivery(id: string): Promise<Delivery> {
    const found = await findDelivery(this.parts.database, this.parts.site, id);
    if (!found) throw new Refusal('unknown-delivery', { id });
    return found;
  }
}

/** A delivery that its firing's action does not wait for: a light going back, or something sent again. */
export const standsAside = ({ back, again }: Pick<TakenDelivery, 'back' | 'again'>): boolean => back || again !== undefined;

/** The entries of a dry trial: the trial, then the arrival of each delivery that it brings about. */
function allArrives(trial: Entry): (last: StepResult | undefined) => Entry | undefined {
  const open: NewDelivery[] = [];
  let steps = 0;
  return (last) => {
    if (!last) return trial;
    open.push(...last.deliveries);
    const next = open.shift();
    if (!next || ++steps > mostSteps) return undefined;
    const { id, firing, action } = next;
    return { kind: 'ended', delivery: { id, firing, action, state: 'delivered', aside: false, stills: [] } };
  };
}

function dryReport(results: readonly StepResult[]): TrialReport {
  const verdict = results[0].events[0].verdicts[0];
  const firing = results
    .flatMap(({ firings }) => firings)
    .filter(({ id }) => id === verdict.firing)
    .at(-1);
  const deliveries = results.flatMap((result) => result.deliveries);
  const { firing: _, ...said } = verdict;
  return {
    verdict: said,
    actions: (firing?.actions ?? []).map(({ plan, reason }) => ({
      name: plan.name,
      verb: plan.verb satisfies ActionReport['verb'],
      after: plan.needs.map(({ action }) => action),
      ...(reason ? { reason } : {}),
      does: deliveries
        .filter(({ action }) => action === plan.name)
        .map(
          ({ output, recipient, content, back }) =>
            `${deliveryText({ output, back, ...(recipient ? { recipient } : {}), ...(content.value ? { sets: content.value } : {}), ...(content.preset ? { looks: content.preset } : {}) })}${content.words ? `: ${content.words}` : ''}`,
        ),
    })),
  };
}
