import { z } from 'zod';
import { type Feed, feedHost } from '../feed.js';
import { call } from './call.js';
import type { OutputDeclaration } from './contract.js';
import { light } from './light.js';
import { relay } from './relay.js';
import { smtp } from './smtp.js';

/** Every kind of output of the document: a new one is one file and one line here, and its sending in the service. */
const declarations = { smtp, call, light, relay };

export type OutputKindName = keyof typeof declarations;
type Shapes = { [K in OutputKindName]: (typeof declarations)[K]['shape'] };
export type OutputOf<K extends OutputKindName> = z.infer<Shapes[K]>;

/** A way out that is set up once. */
export const Output = z.discriminatedUnion(
  'kind',
  Object.values(declarations).map(({ shape }) => shape) as unknown as [Shapes[OutputKindName], ...Shapes[OutputKindName][]],
);
export type Output = { [K in OutputKindName]: OutputOf<K> }[OutputKindName];

/** What is declared of an output's kind. */
export const declarationOf = (output: Output): OutputDeclaration =>
  // The kind picks its own entry; TypeScript cannot tie the two by itself.
  declarations[output.kind] as unknown as OutputDeclaration;

/** Where a secret goes, as it is bound: kind and host. */
export const useOf = (kind: string, host: string): string => `${kind} ${host}`;

/** The secret of an output and the use that it is bound to; nothing for an output that needs none. */
export function outputSecret(output: Output): { readonly key: string; readonly use: string } | undefined {
  const secret = declarationOf(output).secret?.(output);
  return secret && { key: secret.key, use: useOf(output.kind, secret.host) };
}

/** The use of a feed's password. */
export const feedUse = (feed: Feed): string => useOf(feed.kind, feedHost(feed));
