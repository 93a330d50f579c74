import { LightValue, type SiteDocument } from '@causalis/contract';
import { connect, type MqttClient } from 'mqtt';
import { deadline } from '../deadline.js';

/** A payload larger than this is no reading of a light. */
const mostPayload = 4_096;
/** How long a publish waits for a broker that is away: the delivery is tried again anyway. */
const publishMs = 4_000;

/** The site's brokers: one connection each, kept up by itself, for commands out and read-backs in. */
export class Brokers {
  private readonly clients = new Map<string, { url: string; client: MqttClient }>();
  /** What each broker has been asked to tell us, until it has said that it will: no command goes out before. */
  private readonly listening = new Map<string, Promise<unknown>>();
  private topics = new Map<string, Map<string, string[]>>();
  private readonly toldOf: (output: string, value: LightValue) => void;
  private readonly inputSaid: (input: string, payload: Buffer) => void;

  constructor(toldOf: (output: string, value: LightValue) => void, inputSaid: (input: string, payload: Buffer) => void) {
    this.toldOf = toldOf;
    this.inputSaid = inputSaid;
  }

  /** Connects to what a document names, leaves what it no longer names, and listens to each light's read-back. */
  use(document: SiteDocument): void {
    for (const [key, { client, url }] of this.clients) {
      if (document.brokers[key]?.url === url) continue;
      client.end(true);
      this.clients.delete(key);
    }
    const before = this.topics;
    this.topics = new Map();
    const listen = (broker: string, topic: string, listener: string) => {
      const topics = this.topics.get(broker) ?? new Map<string, string[]>();
      topics.set(topic, [...(topics.get(topic) ?? []), listener]);
      this.topics.set(broker, topics);
    };
    for (const [key, output] of Object.entries(document.outputs))
      if (output.kind === 'light' && output['read-back']) listen(output.over, output['read-back'], `outputs/${key}`);
    for (const [key, { over, topic }] of Object.entries(document.inputs)) if (over && topic) listen(over, topic, `inputs/${key}`);
    for (const [key, broker] of Object.entries(document.brokers)) {
      const client = this.clients.get(key)?.client ?? this.open(key, broker.url);
      const wanted = [...(this.topics.get(key)?.keys() ?? [])];
      const gone = [...(before.get(key)?.keys() ?? [])].filter((topic) => !wanted.includes(topic));
      if (gone.length > 0) client.unsubscribe(gone);
      if (client.connected) this.listen(key, client);
    }
  }

  /** Publishes with quality of service 1; true when the broker took it in time. */
  async publish(broker: string, topic: string, payload: string, signal: AbortSignal): Promise<boolean> {
    const client = this.clients.get(broker)?.client;
    if (!client?.connected) return false;
    const limit = deadline(publishMs, signal);
    const late = new Promise<false>((resolve) => limit.signal.addEventListener('abort', () => resolve(false), { once: true }));
    const taken = async () => {
      // A read-back that comes before we listen would be lost: the lamp may answer faster than the broker.
      await this.listening.get(broker);
      if (limit.signal.aborted) return false;
      return await client.publishAsync(topic, payload, { qos: 1, retain: false }).then(
        () => true,
        () => false,
      );
    };
    try {
      return await Promise.race([taken(), late]);
    } finally {
      limit.clear();
    }
  }

  async stop(): Promise<void> {
    await Promise.all([...this.clients.values()].map(({ client }) => client.endAsync(true)));
    this.clients.clear();
  }

  private listen(key: string, client: MqttClient): void {
    const topics = [...(this.topics.get(key)?.keys() ?? [])];
    if (topics.length === 0) return;
    // A broker that refuses to listen for us still takes commands; one that is gone is asked again when it is back.
    this.listening.set(
      key,
      Promise.race([
        client.subscribeAsync(topics, { qos: 1 }).catch(() => undefined),
        new Promise((done) => client.once('close', () => done(undefined))),
      ]),
    );
  }

  private open(key: string, url: string): MqttClient {
    // Nothing waits inside the client: what is not published is known and retried by the ledger.
    const client = connect(url, { reconnectPeriod: 1_000, connectTimeout: 5_000, queueQoSZero: false, resubscribe: false, clean: true });
    client.on('error', () => undefined);
    // At each connection anew: what was asked of a connection that broke off is forgotten with it.
    client.on('connect', () => this.listen(key, client));
    client.on('message', (topic, payload) => this.arrived(key, topic, payload));
    this.clients.set(key, { url, client });
    return client;
  }

  private arrived(broker: string, topic: string, payload: Buffer): void {
    for (const listener of this.topics.get(broker)?.get(topic) ?? []) {
      const [section, key] = listener.split('/');
      if (section === 'inputs') this.inputSaid(key, payload);
      else {
        const value = payload.length > mostPayload ? undefined : readValue(payload);
        if (value) this.toldOf(key, value);
      }
    }
  }
}

/** A light's own state: our own JSON, or a plain word. */
function readValue(payload: Buffer): LightValue | undefined {
  const text = payload.toString('utf8').trim();
  if (/^(on|off)$/i.test(text)) return { power: /^on$/i.test(text) };
  try {
    const { power, level } = JSON.parse(text) as Record<string, unknown>;
    const read = LightValue.safeParse(level === undefined ? { power } : { power, level });
    return read.success ? read.data : undefined;
  } catch {
    return undefined;
  }
}
