import type { LightOutput } from '@causalis/contract';
import type { Brokers } from './brokers.js';
import { delivered, type OutputKind, refused } from './contract.js';

/**
 * A light behind a broker: one JSON command with an absolute value and the key inside, never retained. Delivered
 * means that the broker took it (MQTT 3.1.1 §4.3.2, quality of service 1).
 */
export function lightKind(brokers: Pick<Brokers, 'publish'>): OutputKind<LightOutput> {
  return {
    async send(output, { key, attempt, content, test }, signal) {
      if (!content.value) return refused('went-wrong', false);
      const payload = JSON.stringify({ ...content.value, key, attempt, ...(test ? { test } : {}) });
      const published = await brokers.publish(output.over, output.topic, payload, signal);
      return published ? delivered('accepted') : refused('broker-away', true);
    },
  };
}
