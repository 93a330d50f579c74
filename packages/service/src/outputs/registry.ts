import type { Output, OutputKindName, OutputOf } from '@causalis/contract';
import { callKind } from './call.js';
import type { OutputKind, OutputSurroundings } from './contract.js';
import { headKind } from './head.js';
import { lightKind } from './light.js';
import { mediaKind } from './media.js';
import { relayKind } from './relay.js';
import { smtpKind } from './smtp.js';

type Make<O> = (around: OutputSurroundings) => OutputKind<O>;

/** How each kind of output sends: a new one is one file and one line here. */
const makers: { readonly [K in OutputKindName]: Make<OutputOf<K>> } = {
  smtp: smtpKind,
  call: callKind,
  light: lightKind,
  relay: relayKind,
};

/** Sends over an output by its key, as the document names it now; nothing when it is no longer there. */
export type Senders = (key: string, output: Output | undefined) => OutputKind<unknown>['send'] | undefined;

/** Every kind ready to send, and the built-in ones. */
export function makeSenders(around: OutputSurroundings): Senders {
  const media = mediaKind(around);
  const head = headKind(around);
  // The kind picks its own entry; TypeScript cannot tie the two by itself.
  const kinds = Object.fromEntries(Object.entries(makers).map(([name, make]) => [name, make(around)])) as Record<
    string,
    OutputKind<Output>
  >;
  return (key, output) => {
    if (key === 'media') return (_, sending, signal) => media.send(undefined, sending, signal);
    if (!output && around.isHead(key)) return (_, sending, signal) => head.send(undefined, sending, signal);
    return output && ((_, sending, signal) => kinds[output.kind].send(output, sending, signal));
  };
}
