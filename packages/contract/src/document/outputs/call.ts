import { z } from 'zod';
import { address, Line, SecretRef, Was } from '../../key.js';
import { declareOutput } from './contract.js';

/** Another system that is called over HTTP. */
export const call = declareOutput({
  shape: z.strictObject({
    kind: z.literal('call'),
    was: Was,
    url: address('http', 'https'),
    /** Signs each call after Standard Webhooks. */
    sign: SecretRef.optional(),
    note: Line.optional(),
  }),
  carries: 'call',
  goesTo: ({ url }) => new URL(url).host,
  secret: ({ sign, url }) => sign && { key: sign.secret, host: new URL(url).host },
});
