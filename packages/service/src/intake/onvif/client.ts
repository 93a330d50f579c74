import { createHash, randomBytes } from 'node:crypto';
import { type Credentials, FeedFailure } from '../feeds/contract.js';
import { ask, failureOf, readBody } from '../feeds/http.js';
import { all, child, element, mostBytes, type Node, readXml, text } from './xml.js';

const namespaces = {
  tds: 'http://www.onvif.org/ver10/device/wsdl',
  trt: 'http://www.onvif.org/ver10/media/wsdl',
  tev: 'http://www.onvif.org/ver10/events/wsdl',
  tptz: 'http://www.onvif.org/ver20/ptz/wsdl',
  tmd: 'http://www.onvif.org/ver10/deviceIO/wsdl',
  tt: 'http://www.onvif.org/ver10/schema',
  wsnt: 'http://docs.oasis-open.org/wsn/b-2',
} as const;
type Service = keyof typeof namespaces;

/** WS-UsernameToken with a digest (WS-Security UsernameToken Profile 1.0 §3.1): made by the device's own clock. */
export function usernameToken(user: string, secret: string, at: Date, nonce: Buffer): string {
  const created = at.toISOString().replace(/\.\d+Z$/, 'Z');
  const digest = createHash('sha1')
    .update(Buffer.concat([nonce, Buffer.from(created), Buffer.from(secret)]))
    .digest('base64');
  const wsse = 'http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss';
  return `<wsse:Security xmlns:wsse="${wsse}-wssecurity-secext-1.0.xsd" xmlns:wsu="${wsse}-wssecurity-utility-1.0.xsd" s:mustUnderstand="1"><wsse:UsernameToken>${element('wsse:Username', user)}<wsse:Password Type="${wsse}-username-token-profile-1.0#PasswordDigest">${digest}</wsse:Password><wsse:Nonce EncodingType="${wsse}-soap-message-security-1.0#Base64Binary">${nonce.toString('base64')}</wsse:Nonce><wsu:Created>${created}</wsu:Created></wsse:UsernameToken></wsse:Security>`;
}

export interface OnvifProfile {
  readonly token: string;
  readonly name: string;
  /** The channel that it shows: profiles of one source are one camera in several sizes. */
  readonly source: string;
  readonly codec?: string;
  readonly width?: number;
  readonly height?: number;
  readonly rate?: number;
  readonly ptz: boolean;
}

export interface DeviceOffers {
  /** Such as `RuleEngine/CellMotionDetector/Motion`. */
  readonly topics: readonly string[];
  readonly inputs: readonly string[];
  readonly relays: readonly string[];
}

/** A subscription lasts so long unless it is renewed, s. */
const subscribedS = 600;

/** The topics of a topic set (WS-Topics 1.3 §3): elements that say `topic="true"`, by their path. */
function walkTopics(node: Node | undefined, path: readonly string[], into: string[]): void {
  for (const [name, value] of Object.entries(node ?? {})) {
    if (name.startsWith('@') || name === 'MessageDescription') continue;
    for (const one of [value].flat()) {
      if (typeof one !== 'object' || into.length >= 500) continue;
      const here = [...path, name];
      if (one['@topic'] === 'true') into.push(here.join('/'));
      walkTopics(one, here, into);
    }
  }
}

/** A client of one ONVIF device (Core, Media, Events and PTZ services, SOAP 1.2 over HTTP). */
export class OnvifClient {
  private readonly address: string;
  private readonly who: Credentials;
  private readonly signal: AbortSignal;
  private services: Readonly<Partial<Record<Service, string>>> = {};
  /** By how much the device's clock is ahead of ours, ms. */
  clockMs = 0;

  constructor(address: string, who: Credentials, signal: AbortSignal) {
    this.address = address;
    // A whole feed may be given: its own address must not stand in the place of a service's.
    const { user, secret, certificate } = who;
    this.who = {
      ...(user === undefined ? {} : { user }),
      ...(secret === undefined ? {} : { secret }),
      ...(certificate ? { certificate } : {}),
    };
    this.signal = signal;
  }

  /** The same device for as long as another signal says. */
  until(signal: AbortSignal): OnvifClient {
    const other = new OnvifClient(this.address, this.who, signal);
    other.services = this.services;
    other.clockMs = this.clockMs;
    return other;
  }

  /** Reads the device's clock, which needs no password, and where its services are. */
  async open(): Promise<void> {
    const time = await this.call('tds', '<tds:GetSystemDateAndTime/>', { signed: false });
    const utc = child(time, 'GetSystemDateAndTimeResponse', 'SystemDateAndTime', 'UTCDateTime');
    const n = (...path: string[]) => Number(text(utc, ...path) ?? Number.NaN);
    const theirs = Date.UTC(
      n('Date', 'Year'),
      n('Date', 'Month') - 1,
      n('Date', 'Day'),
      n('Time', 'Hour'),
      n('Time', 'Minute'),
      n('Time', 'Second'),
    );
    if (Number.isFinite(theirs)) this.clockMs = theirs - Date.now();
    const answer = await this.call('tds', '<tds:GetServices><tds:IncludeCapability>false</tds:IncludeCapability></tds:GetServices>');
    const services: Partial<Record<Service, string>> = {};
    for (const service of all(child(answer, 'GetServicesResponse'), 'Service')) {
      const name = (Object.keys(namespaces) as Service[]).find((one) => namespaces[one] === text(service, 'Namespace'));
      const url = text(service, 'XAddr');
      if (name && url) services[name] = this.here(url);
    }
    this.services = services;
  }

  has(service: Service): boolean {
    return this.services[service] !== undefined;
  }

  async information(): Promise<string> {
    const answer = child(await this.call('tds', '<tds:GetDeviceInformation/>'), 'GetDeviceInformationResponse');
    return [text(answer, 'Manufacturer'), text(answer, 'Model'), text(answer, 'FirmwareVersion')].filter(Boolean).join(' ');
  }

  /** A name of the device that stays when its address changes: what it says when the network is searched too; else its serial number. */
  async device(): Promise<string | undefined> {
    const answer = await this.call('tds', '<tds:GetEndpointReference/>').catch((_: FeedFailure) => undefined);
    const guid = text(answer, 'GetEndpointReferenceResponse', 'GUID');
    if (guid) return guid.startsWith('urn:') ? guid : `urn:uuid:${guid}`;
    return text(child(await this.call('tds', '<tds:GetDeviceInformation/>'), 'GetDeviceInformationResponse'), 'SerialNumber');
  }

  async profiles(): Promise<OnvifProfile[]> {
    const answer = child(await this.call('trt', '<trt:GetProfiles/>'), 'GetProfilesResponse');
    return all(answer, 'Profiles').map((profile) => {
      const encoder = child(profile, 'VideoEncoderConfiguration');
      const number = (...path: string[]) => {
        const value = Number(text(encoder, ...path));
        return Number.isFinite(value) && value > 0 ? value : undefined;
      };
      const [width, height, rate] = [
        number('Resolution', 'Width'),
        number('Resolution', 'Height'),
        number('RateControl', 'FrameRateLimit'),
      ];
      const codec = text(encoder, 'Encoding')?.toLowerCase();
      return {
        token: text(profile, '@token') ?? '',
        name: text(profile, 'Name') ?? '',
        source: text(profile, 'VideoSourceConfiguration', 'SourceToken') ?? '',
        ...(codec ? { codec } : {}),
        ...(width ? { width } : {}),
        ...(height ? { height } : {}),
        ...(rate ? { rate } : {}),
        ptz: child(profile, 'PTZConfiguration') !== undefined,
      };
    });
  }

  async streamUri(profile: string): Promise<string> {
    const setup =
      '<trt:StreamSetup><tt:Stream>RTP-Unicast</tt:Stream><tt:Transport><tt:Protocol>RTSP</tt:Protocol></tt:Transport></trt:StreamSetup>';
    const answer = await this.call('trt', `<trt:GetStreamUri>${setup}${element('trt:ProfileToken', profile)}</trt:GetStreamUri>`);
    const uri = text(answer, 'GetStreamUriResponse', 'MediaUri', 'Uri');
    if (!uri) throw new FeedFailure('wrong-type', 'the device names no stream');
    return this.here(uri);
  }

  async stillUri(profile: string): Promise<string | undefined> {
    const answer = await this.call('trt', `<trt:GetSnapshotUri>${element('trt:ProfileToken', profile)}</trt:GetSnapshotUri>`);
    const uri = text(answer, 'GetSnapshotUriResponse', 'MediaUri', 'Uri');
    return uri && this.here(uri);
  }

  /** What it can report by itself: topics as paths, and its digital inputs and relay outputs by token. */
  async offers(): Promise<DeviceOffers> {
    const topics: string[] = [];
    if (this.has('tev')) {
      const set = child(await this.call('tev', '<tev:GetEventProperties/>'), 'GetEventPropertiesResponse', 'TopicSet');
      walkTopics(set, [], topics);
    }
    const tokens = async (service: Service, operation: string, answer: string) =>
      all(
        child(await this.call(service, `<${service}:${operation}/>`).catch((_: FeedFailure) => undefined), `${operation}Response`),
        answer,
      ).flatMap((one) => text(one, '@token') ?? []);
    return {
      topics,
      inputs: this.has('tmd') ? await tokens('tmd', 'GetDigitalInputs', 'DigitalInputs') : [],
      relays: await tokens('tds', 'GetRelayOutputs', 'RelayOutputs'),
    };
  }

  async setRelay(token: string, on: boolean): Promise<void> {
    const state = element('tds:LogicalState', on ? 'active' : 'inactive');
    await this.call('tds', `<tds:SetRelayOutputState>${element('tds:RelayOutputToken', token)}${state}</tds:SetRelayOutputState>`);
  }

  /** Lets the device keep its news for us: where they are pulled from. */
  async subscribe(): Promise<string> {
    const lasting = element('tev:InitialTerminationTime', `PT${subscribedS}S`);
    const answer = await this.call('tev', `<tev:CreatePullPointSubscription>${lasting}</tev:CreatePullPointSubscription>`);
    const address = text(answer, 'CreatePullPointSubscriptionResponse', 'SubscriptionReference', 'Address');
    if (!address) throw new FeedFailure('wrong-type', 'the device names no place for its events');
    return this.here(address);
  }

  /** Waits for news, at most so long. */
  async pull(address: string, waitS: number): Promise<Node[]> {
    const body = `<tev:PullMessages>${element('tev:Timeout', `PT${waitS}S`)}${element('tev:MessageLimit', 50)}</tev:PullMessages>`;
    const header = this.addressed(address, `${namespaces.tev}/PullPointSubscription/PullMessagesRequest`);
    return all(child(await this.call('tev', body, { address, header }), 'PullMessagesResponse'), 'NotificationMessage');
  }

  /** Keeps a subscription for as long again. */
  async renew(address: string): Promise<void> {
    const header = this.addressed(address, 'http://docs.oasis-open.org/wsn/bw-2/SubscriptionManager/RenewRequest');
    await this.call('tev', `<wsnt:Renew>${element('wsnt:TerminationTime', `PT${subscribedS}S`)}</wsnt:Renew>`, { address, header });
  }

  async unsubscribe(address: string): Promise<void> {
    const header = this.addressed(address, 'http://docs.oasis-open.org/wsn/bw-2/SubscriptionManager/UnsubscribeRequest');
    await this.call('tev', '<wsnt:Unsubscribe/>', { address, header });
  }

  private addressed(to: string, action: string): string {
    return `${element('a:Action', action)}${element('a:To', to)}`;
  }

  /** Calls an operation; the answer's body. Faults become failures with the device's own words. */
  async call(
    service: Service,
    body: string,
    { signed = true, address, header = '' }: { signed?: boolean; address?: string; header?: string } = {},
  ): Promise<Node> {
    const url = address ?? this.services[service] ?? this.address;
    const { user, secret = '' } = this.who;
    const security = signed && user !== undefined ? usernameToken(user, secret, new Date(Date.now() + this.clockMs), randomBytes(16)) : '';
    const spaces = Object.entries(namespaces)
      .map(([prefix, uri]) => `xmlns:${prefix}="${uri}"`)
      .join(' ');
    const envelope = `<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:a="http://www.w3.org/2005/08/addressing" ${spaces}><s:Header>${security}${header}</s:Header><s:Body>${body}</s:Body></s:Envelope>`;
    try {
      const answer = await ask(
        { url, ...this.who, method: 'POST', headers: { 'content-type': 'application/soap+xml; charset=utf-8' }, body: envelope },
        this.signal,
      );
      const bytes = await readBody(answer, mostBytes);
      if (answer.statusCode === 401 || answer.statusCode === 403) throw new FeedFailure('not-authorised');
      if (answer.statusCode === 404) throw new FeedFailure('not-found');
      const found = child(readXml(bytes), 'Envelope', 'Body');
      if (!found) throw new FeedFailure('wrong-type', 'no SOAP envelope');
      const fault = child(found, 'Fault');
      if (fault) throw this.faultOf(fault);
      return found;
    } catch (error) {
      throw failureOf(error);
    }
  }

  private faultOf(fault: Node): FeedFailure {
    const said = text(fault, 'Reason', 'Text') ?? '';
    const codes = `${text(fault, 'Code', 'Value')} ${text(fault, 'Code', 'Subcode', 'Value')} ${text(fault, 'Code', 'Subcode', 'Subcode', 'Value')}`;
    if (/NotAuthorized|FailedAuthentication/i.test(`${codes} ${said}`)) return new FeedFailure('not-authorised', said || undefined);
    return new FeedFailure('refused', (said || codes).slice(0, 160));
  }

  /** Devices name themselves by addresses that need not be reachable from here: host and port are those that we know. */
  private here(url: string): string {
    try {
      const [theirs, ours] = [new URL(url), new URL(this.address)];
      theirs.hostname = ours.hostname;
      return theirs.href;
    } catch {
      throw new FeedFailure('wrong-type', 'the device names an address that is none');
    }
  }
}
