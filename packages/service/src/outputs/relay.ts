import type { OutputOf } from '@causalis/contract';
import { delivered, type OutputKind, type OutputSurroundings, refused, type Sent } from './contract.js';
import { Way } from './way.js';

/** What a camera's failure is for a delivery, and whether another attempt makes sense. */
const failures: Readonly<Record<string, readonly [code: string, again: boolean]>> = {
  'connection-refused': ['connection-refused', true],
  'host-unknown': ['host-unknown', true],
  'no-answer': ['no-answer', true],
  'not-authorised': ['login-refused', false],
  'wrong-certificate': ['not-secure', false],
  'other-certificate': ['not-secure', false],
  refused: ['refused', false],
  'secret-not-set': ['secret-not-set', false],
  'secret-not-bound': ['secret-not-bound', false],
  'no-camera': ['output-gone', false],
};

/** A camera's failure as what a delivery came to. */
export function cameraFailure(error: unknown): Sent {
  const { code = '', detail } = error as { code?: string; detail?: string };
  const [as, again] = failures[code] ?? ['connection-broken', true];
  return refused(as, again, detail);
}

/** A relay output of an ONVIF camera (Device IO §5.4): delivered means that the camera took the command. */
export function relayKind({ relay }: Pick<OutputSurroundings, 'relay'>): OutputKind<OutputOf<'relay'>> {
  return {
    async send(output, { content }, signal): Promise<Sent> {
      const { value } = content;
      if (!value) return refused('went-wrong', false);
      const way = new Way();
      try {
        await way.take('acceptance', () => relay(output.camera, output.relay, value.power, signal));
        return delivered('accepted', { steps: way.steps });
      } catch (error) {
        return { ...cameraFailure(error), steps: way.steps };
      }
    },
  };
}
