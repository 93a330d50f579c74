import { z } from 'zod';
import { Key, Line, Was } from '../../key.js';
import { declareOutput } from './contract.js';
import { LightValue } from './light.js';

/** A relay output of an ONVIF camera: it tells its own state, where the camera does. */
export const relay = declareOutput({
  shape: z.strictObject({
    kind: z.literal('relay'),
    was: Was,
    camera: Key,
    /** Its token in the camera. */
    relay: Line,
    rest: LightValue.default({ power: false }),
    note: Line.optional(),
  }),
  carries: 'set',
  goesTo: ({ relay: token, camera }) => `${token} of ${camera}`,
});
