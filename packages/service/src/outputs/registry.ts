import type { Output } from '@causalis/contract';
import type { OutputKind } from './contract.js';

/** Every kind of output of the document, and the built-in ones. */
export type OutputKinds = { readonly [K in Output['kind']]: OutputKind<Extract<Output, { kind: K }>> } & {
  readonly media: OutputKind<undefined>;
};

/** Sends over the output that the document names now; nothing when it is no longer there. */
export function sender(kinds: OutputKinds, key: string, output: Output | undefined): OutputKind<unknown>['send'] | undefined {
  if (key === 'media') return (_, sending, signal) => kinds.media.send(undefined, sending, signal);
  if (!output) return undefined;
  // The kind picks its own entry; TypeScript cannot tie the two by itself.
  const kind = kinds[output.kind] as OutputKind<Output>;
  return (_, sending, signal) => kind.send(output, sending, signal);
}
