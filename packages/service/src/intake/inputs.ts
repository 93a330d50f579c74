import { type Input, plainLine, type SiteDocument } from '@causalis/contract';
import { type Entry, type EventIn, type InputState, type StateKey, stateKeys } from '@causalis/core';
import type { Clock } from '../clock.js';
import { newId } from '../ids.js';
import { valueAt } from './hook.js';

export interface InputParts {
  readonly clock: Clock;
  readonly document: () => SiteDocument;
  readonly read: <T>(key: StateKey<T>) => T | undefined;
  readonly accept: (entry: Entry) => Promise<unknown>;
  /** Whether the source may report now. */
  readonly mayReport: (input: string) => boolean;
  /** What could not be read stands in the list of refused arrivals. */
  readonly refused: (input: string, topic: string, reason: string) => Promise<unknown>;
  readonly trouble: (error: unknown, what: string) => void;
}

/** Where an input's readings come from, in short. */
export const inputFrom = ({ over, topic, camera, input }: Input): string => (topic ? `${topic} over ${over}` : `${input} of ${camera}`);

/** More than this is no reading. */
const mostPayload = 8_192;

/** What an input says by a message; or why nobody can know. */
export function readInput(input: Input, payload: Buffer): InputState | { refused: string } {
  if (payload.length > mostPayload) return { refused: 'too-large' };
  let said: unknown = payload.toString('utf8').trim();
  if (input.at) {
    try {
      said = valueAt(JSON.parse(payload.toString('utf8')), input.at);
    } catch {
      return { refused: 'not-json' };
    }
    if (said === undefined) return { refused: 'not-there' };
  }
  const text = String(said);
  if (input.readings) return Object.hasOwn(input.readings, text) ? { reading: input.readings[text] } : { refused: 'unknown-reading' };
  const number = text === '' ? Number.NaN : Number(text);
  return Number.isFinite(number) ? { number } : { refused: 'no-number' };
}

/** Turns what inputs report into events: only what has changed is one. */
export class InputIntake {
  private readonly parts: InputParts;
  /** What was last reported and may not be in the ledger yet. */
  private readonly newest = new Map<string, InputState>();

  constructor(parts: InputParts) {
    this.parts = parts;
  }

  /** A message came for an input. */
  told(key: string, payload: Buffer): void {
    const { document, read, clock, accept, mayReport, refused, trouble } = this.parts;
    const input = document().inputs[key];
    if (!input) return;
    const now = readInput(input, payload);
    if ('refused' in now) {
      if (mayReport(key)) refused(key, inputFrom(input), now.refused).catch((error: unknown) => trouble(error, 'a refused reading'));
      return;
    }
    const before = this.newest.get(key) ?? read(stateKeys.input(key));
    if (before?.reading === now.reading && before?.number === now.number) return;
    if (!mayReport(key)) return;
    this.newest.set(key, now);
    const wall = clock.wall();
    const event: EventIn = {
      id: newId(),
      kind: 'input.changed',
      section: 'inputs',
      source: key,
      data: {
        ...now,
        ...(before ? { from: plainLine(String(before.reading ?? before.number), 60) } : {}),
        to: plainLine(now.reading ?? `${now.number}${input.number ? ` ${input.number}` : ''}`, 60),
      },
      time: wall,
      seen: wall,
      depth: 0,
      test: false,
    };
    accept({ kind: 'event', event }).catch((error: unknown) => {
      // The next message of the broker brings it again: what is not kept is not known.
      this.newest.delete(key);
      trouble(error, 'an input');
    });
  }
}
