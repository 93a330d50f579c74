import type { BlockList } from 'node:net';
import { type Priority, plainLine, type WayStep } from '@causalis/contract';
import type { DeliveryContent } from '@causalis/core';
import type { Language } from '@causalis/words';

/** What is sent, whole: every kind of output gets the same. */
export interface Sending {
  /** Idempotency key: the same in all attempts. */
  readonly key: string;
  readonly attempt: number;
  readonly priority: Priority;
  readonly recipient?: string;
  readonly test: boolean;
  readonly content: DeliveryContent;
  /** Address of the event's chain in the console. */
  readonly link: string | undefined;
}

/** What an attempt came to: a stable code, and the other side's own words where it had any. */
export interface Sent {
  readonly ok: boolean;
  readonly code: string;
  /** Whether another attempt makes sense. */
  readonly again: boolean;
  readonly answer?: string;
  /** Pictures that were kept, for the actions that wait for them. */
  readonly stills?: readonly string[];
  /** The steps of the way, where they were taken one by one. */
  readonly steps?: readonly WayStep[];
}

/** One kind of output. `send` never throws for what the other side does; `signal` ends an attempt that hangs. */
export interface OutputKind<O> {
  send(output: O, sending: Sending, signal: AbortSignal): Promise<Sent>;
}

/** Where calls may not go. */
export interface CallRules {
  readonly forbidden: BlockList;
  /** Ports on this machine that are ours: the service and its database. */
  readonly ownPorts: () => readonly number[];
}

/** What turned a head that no hand has turned. */
export interface TurnedBy {
  readonly rule: string;
  readonly depth: number;
  readonly test: boolean;
  /** The delivery. */
  readonly key: string;
}

/** What outputs may ask of the service. */
export interface OutputSurroundings {
  /** A secret, only for where it was given for; a code says why not. */
  secret(key: string, use: string): Promise<{ value: string } | { code: 'secret-not-set' | 'secret-not-bound' }>;
  /** Whether the disk has room for pictures. */
  hasRoom(): boolean;
  /** A kept picture. */
  picture(id: string): Promise<Buffer | undefined>;
  /** Keeps a camera's picture nearest to a moment for an event; nothing when there is none. */
  keepPicture(camera: string, wall: number, event: string): Promise<string | undefined>;
  readonly brokers: { publish(broker: string, topic: string, payload: string, signal: AbortSignal): Promise<boolean> };
  /** Switches a relay output of a camera; throws with the code of a camera's failure. */
  relay(camera: string, token: string, on: boolean, signal: AbortSignal): Promise<void>;
  /** Turns a camera's head for a rule; throws with the code of a camera's failure. */
  turn(camera: string, preset: string, by: TurnedBy, signal: AbortSignal): Promise<void>;
  /** Whether a camera has a head that can be told something. */
  isHead(camera: string): boolean;
  readonly calls: CallRules;
  site: {
    readonly key: string;
    readonly name: string;
    readonly timezone: string;
    readonly language: Language;
    title(source: string): string;
  };
}

export const delivered = (code: string, { answer, ...more }: Partial<Sent> = {}): Sent => ({
  ok: true,
  again: false,
  code,
  ...more,
  ...(answer ? { answer: clean(answer) } : {}),
});
export const refused = (code: string, again: boolean, answer?: string): Sent => ({
  ok: false,
  again,
  code,
  ...(answer ? { answer: clean(answer) } : {}),
});

/** Border text: short, on one line, without control characters. */
export const clean = (text: string): string => plainLine(text, 300).replace(/\s+/g, ' ').trim();

/** Codes of network failures, the same for every kind: whether to try again is decided here once. */
export function networkFailure(error: unknown): Sent {
  const e = error as { code?: string; originalCode?: string; name?: string; message?: string; cause?: { code?: string } };
  // Some libraries put their own code over that of the network.
  const code = e.originalCode ?? e.code ?? e.cause?.code ?? '';
  if (code === 'ECONNREFUSED') return refused('connection-refused', true);
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN') return refused('host-unknown', true);
  if (e.name === 'AbortError' || e.name === 'TimeoutError' || /TIMEOUT|TIMEDOUT/.test(code)) return refused('no-answer', true);
  if (/CERT|SELF_SIGNED|ERR_TLS|ESOCKET.*SSL|^EPROTO$|ETLS/.test(code)) return refused('not-secure', false, e.message);
  return refused('connection-broken', true, e.message);
}
