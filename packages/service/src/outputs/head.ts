import { delivered, type OutputKind, type OutputSurroundings, refused, type Sent } from './contract.js';
import { cameraFailure } from './relay.js';
import { Way } from './way.js';

/** The built-in output for heads: delivered means that the camera took the command, not that it has arrived. */
export function headKind({ turn }: Pick<OutputSurroundings, 'turn'>): OutputKind<undefined> {
  return {
    async send(_, { content, key }, signal): Promise<Sent> {
      const { camera, preset, title, event } = content;
      if (camera === undefined || preset === undefined) return refused('went-wrong', false);
      const way = new Way();
      try {
        await way.take('acceptance', () => turn(camera, preset, { rule: title, depth: event.depth + 1, test: event.test, key }, signal));
        return delivered('accepted', { steps: way.steps });
      } catch (error) {
        return { ...cameraFailure(error), steps: way.steps };
      }
    },
  };
}
