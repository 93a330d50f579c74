import type { OutputOf } from '@causalis/contract';
import { delivered, type OutputKind, type OutputSurroundings, refused } from './contract.js';
import { Way } from './way.js';

/**
 * A light behind a broker: one JSON command with an absolute value and the key inside, never retained. Delivered
 * means that the broker took it (MQTT 3.1.1 §4.3.2, quality of service 1).
 */
export function lightKind({ brokers }: Pick<OutputSurroundings, 'brokers'>): OutputKind<OutputOf<'light'>> {
  return {
    async send(output, { key, attempt, content, test }, signal) {
      if (!content.value) return refused('went-wrong', false);
      const payload = JSON.stringify({ ...content.value, key, attempt, ...(test ? { test } : {}) });
      const way = new Way();
      try {
        await way.take('broker', async () => {
          if (!(await brokers.publish(output.over, output.topic, payload, signal))) throw new Error('not taken');
        });
        return delivered('accepted', { steps: way.steps });
      } catch {
        return { ...refused('broker-away', true), steps: way.steps };
      }
    },
  };
}
