import { delivered, type OutputKind, type OutputSurroundings, refused } from './contract.js';

/** The built-in output for stills: the picture of the moment, which is on disk before the event is accepted. */
export function mediaKind({ keepPicture, hasRoom }: Pick<OutputSurroundings, 'keepPicture' | 'hasRoom'>): OutputKind<undefined> {
  return {
    async send(_, { content }) {
      const { event, camera } = content;
      if (event.still !== undefined && camera === event.source) return delivered('kept', { stills: [event.still] });
      if (!hasRoom()) return refused('no-room', false);
      const kept = camera === undefined ? undefined : await keepPicture(camera, event.time, event.id);
      return kept ? delivered('kept', { stills: [kept] }) : refused('no-picture', true);
    },
  };
}
