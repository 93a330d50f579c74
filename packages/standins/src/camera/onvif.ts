import { createHash, timingSafeEqual } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { answersAt, operations } from './onvif-operations.js';
import {
  at,
  Fault,
  type Head,
  type HeadPosition,
  type Node,
  namespaces,
  type OfferedProfile,
  type OnvifOptions,
  parser,
  presetsAtStart,
  schema,
  type Told,
  type TopicName,
  text,
  tokenMs,
  topics,
} from './onvif-parts.js';

/** The SOAP side of an ONVIF device: Device, Media, Events (pull point), PTZ and Device IO services (Profile S and T). */
export class OnvifDevice {
  readonly options: OnvifOptions;
  /** What it was told to do, for whoever looks. */
  readonly relays = new Map<string, boolean>([['relay-1', false]]);
  private readonly presets = new Map(Object.entries(presetsAtStart));
  private readonly waiting = new Set<() => void>();
  private readonly queues = new Map<string, Told[]>();
  private last = new Map<string, Told>();
  private subscriptions = 0;

  constructor(options: OnvifOptions) {
    this.options = options;
  }

  /** What it calls itself wherever it is (RFC 4122 §4.3, from its serial number). */
  get endpoint(): string {
    const hex = createHash('sha1').update(this.options.serial).digest('hex');
    return `urn:uuid:${hex.slice(0, 8)}-${hex.slice(8, 12)}-5${hex.slice(13, 16)}-a${hex.slice(17, 20)}-${hex.slice(20, 32)}`;
  }

  /** Ends every subscription, as a device does that restarts. */
  forgetListeners(): void {
    this.queues.clear();
    for (const wake of this.waiting) wake();
  }

  switchRelay(token: string, on: boolean): void {
    this.relays.set(token, on);
    this.tell('relay', token, on);
  }

  /** Reports a change of its own: something that its own detection has found, or an input. */
  tell(topic: TopicName, source: string, state: boolean): void {
    const { path, data, from, on = 'true', off = 'false', moment } = topics[topic];
    const told = { topic: `tns1:${path}`, from, source, name: data, value: state ? on : off, operation: 'Changed', at: this.now() };
    if (!moment) this.last.set(`${path} ${source}`, { ...told, operation: 'Initialized' });
    for (const queue of this.queues.values()) queue.push(told);
    for (const wake of this.waiting) wake();
  }

  async answer(request: IncomingMessage, response: ServerResponse, body: string): Promise<void> {
    const base = `${'encrypted' in request.socket ? 'https' : 'http'}://${request.headers.host}`;
    try {
      const envelope = at(parser.parse(body) as Node, 'Envelope');
      const content = at(envelope, 'Body');
      const [name] = typeof content === 'object' ? Object.keys(content).filter((key) => !key.startsWith('@')) : [];
      if (!name || typeof content !== 'object') throw new Fault(400, 'ter:WellFormed', 'The body is empty');
      const operation = operations[name];
      if (!operation) throw new Fault(500, 'ter:ActionNotSupported', `${name} is not supported`);
      const { pathname } = new URL(request.url ?? '/', base);
      if (!answersAt(operation, pathname)) throw new Fault(500, 'ter:ActionNotSupported', `${name} is not asked for at ${pathname}`);
      if (!operation.open) this.mustKnow(at(envelope, 'Header', 'Security', 'UsernameToken'));
      const said = await operation.run(this, content[name], base, request.url ?? '');
      this.reply(response, 200, `<${operation.prefix}:${name}Response>${said}</${operation.prefix}:${name}Response>`);
    } catch (error) {
      const fault = error instanceof Fault ? error : new Fault(500, 'ter:Action', (error as Error).message);
      const code = fault.status === 500 ? 'Receiver' : 'Sender';
      this.reply(
        response,
        fault.status,
        `<s:Fault><s:Code><s:Value>s:${code}</s:Value><s:Subcode><s:Value>${fault.subcode}</s:Value></s:Subcode></s:Code><s:Reason><s:Text xml:lang="en">${fault.message}</s:Text></s:Reason></s:Fault>`,
      );
    }
  }

  /** The device's own time. */
  now(): number {
    return Date.now() + this.options.clockMs;
  }

  profile(token: string): OfferedProfile {
    const found = this.options.profiles.find((one) => one.token === token);
    if (!found) throw new Fault(400, 'ter:NoProfile', 'The requested profile token does not exist');
    return found;
  }

  get head(): Head {
    if (!this.options.head) throw new Fault(500, 'ter:ActionNotSupported', 'There is no head to steer');
    return this.options.head;
  }

  preset(token: string): HeadPosition {
    const found = this.presets.get(token);
    if (!found) throw new Fault(400, 'ter:NoToken', 'The requested preset token does not exist');
    return found;
  }

  savePreset(token: string): void {
    this.presets.set(token, this.head.position());
  }

  get presetNames(): readonly string[] {
    return [...this.presets.keys()];
  }

  subscribe(): string {
    this.subscriptions++;
    const id = `p${this.subscriptions}`;
    // A new listener is told how everything stands (ONVIF Core §9.1: PropertyOperation Initialized).
    this.queues.set(id, [...this.last.values()]);
    return id;
  }

  unsubscribe(id: string): void {
    this.queues.delete(id);
  }

  async pull(id: string, waitMs: number, most: number): Promise<readonly Told[]> {
    const queue = this.queues.get(id);
    if (!queue) throw new Fault(400, 'ter:InvalidArgVal', 'The subscription is over');
    if (queue.length === 0) {
      await new Promise<void>((resolve) => {
        const timer = setTimeout(wake, waitMs);
        const { waiting } = this;
        function wake() {
          clearTimeout(timer);
          waiting.delete(wake);
          resolve();
        }
        waiting.add(wake);
      });
    }
    return queue.splice(0, most);
  }

  /** WS-UsernameToken with a digest, not older than five minutes by the device's own clock. */
  private mustKnow(token: Node | string | undefined): void {
    const refuse = () => new Fault(400, 'ter:NotAuthorized', 'Sender not authorized');
    if (text(token, 'Username') !== this.options.user) throw refuse();
    const created = text(token, 'Created');
    const age = Math.abs(Date.parse(created) - this.now());
    if (!(age < tokenMs)) throw refuse();
    const right = createHash('sha1')
      .update(Buffer.concat([Buffer.from(text(token, 'Nonce'), 'base64'), Buffer.from(created), Buffer.from(this.options.password)]))
      .digest();
    const given = Buffer.from(text(token, 'Password'), 'base64');
    if (given.length !== right.length || !timingSafeEqual(given, right)) throw refuse();
  }

  private reply(response: ServerResponse, status: number, body: string): void {
    const spaces = Object.entries({
      ...namespaces,
      tt: schema,
      ter: 'http://www.onvif.org/ver10/error',
      wsnt: 'http://docs.oasis-open.org/wsn/b-2',
      wsa: 'http://www.w3.org/2005/08/addressing',
      wstop: 'http://docs.oasis-open.org/wsn/t-1',
      tns1: 'http://www.onvif.org/ver10/topics',
    })
      .map(([prefix, uri]) => `xmlns:${prefix}="${uri}"`)
      .join(' ');
    response.writeHead(status, { 'content-type': 'application/soap+xml; charset=utf-8' });
    response.end(
      `<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" ${spaces}><s:Body>${body}</s:Body></s:Envelope>`,
    );
  }
}
