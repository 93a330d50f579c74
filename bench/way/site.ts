import { Pool } from 'undici';
import type { OneService } from '../one-service.js';

export const site = 'bench';

/** A site with two hooks: what comes at one is called out as routine, at the other as urgent. */
const document = (port: number) => `
causalis: 1
site: { key: ${site}, name: Bench, timezone: Europe/Dublin }
hooks: { quiet: {}, routine: {}, urgent: {} }
outputs:
  desk: { kind: call, url: "http://127.0.0.1:${port}/in" }
rules:
  routine: { title: Routine, active: true, priority: routine, cause: { event: hook.called, at: routine }, actions: { desk: { call: desk } } }
  urgent: { title: Urgent, active: true, priority: urgent, cause: { event: hook.called, at: urgent }, actions: { desk: { call: desk } } }
`;

export async function putSite(service: OneService, port: number): Promise<void> {
  await service.client.call('apply', { params: { site }, body: document(port) });
}

/** Senders of events over standing connections. */
export class Senders {
  private readonly pool: Pool;
  private readonly headers: Record<string, string>;
  /** Counted over all senders: the same id twice would be the same event. */
  private static number = 0;

  constructor(service: OneService, connections: number) {
    this.pool = new Pool(service.url, { connections, pipelining: 1 });
    this.headers = { authorization: `Bearer ${service.token}`, 'content-type': 'application/json' };
  }

  /** Sends so many events in one request; the ids that they got. */
  async send(hook: 'quiet' | 'routine' | 'urgent', count = 1): Promise<string[]> {
    const events = Array.from({ length: count }, () => ({
      specversion: '1.0',
      id: `bench-${process.pid}-${Senders.number++}`,
      source: 'bench',
      type: 'hook.called',
      subject: `hooks/${hook}`,
      data: {},
    }));
    const { statusCode, body } = await this.pool.request({
      method: 'POST',
      path: `/api/v1/sites/${site}/events`,
      headers: this.headers,
      body: JSON.stringify(count === 1 ? events[0] : events),
    });
    const text = await body.text();
    if (statusCode !== 200) throw new Error(text);
    return (JSON.parse(text) as { items: { id: string }[] }).items.map(({ id }) => id);
  }

  async close(): Promise<void> {
    await this.pool.close();
  }
}
