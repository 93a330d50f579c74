import type { z } from 'zod';

/** What an action can send over an output of a kind: messages to members, calls, or commands to a device. */
export type Carries = 'tell' | 'call' | 'set';

/** One kind of output as documents know it: its shape, what it carries, and where its secret goes. */
export interface OutputDeclaration<S extends z.ZodType = z.ZodType> {
  readonly shape: S;
  readonly carries: Carries;
  /** Where it goes, in short. */
  goesTo(output: z.infer<S>): string;
  /** The broker that it is reached over. */
  broker?(output: z.infer<S>): string;
  /** The secret that it needs, and the host to which that is sent. */
  secret?(output: z.infer<S>): { readonly key: string; readonly host: string } | undefined;
}

/** Declares a kind of output: the type of its shape is that of its functions. */
export const declareOutput = <S extends z.ZodType>(declaration: OutputDeclaration<S>): OutputDeclaration<S> => declaration;
