import { createHash, randomBytes } from 'node:crypto';
import { XMLParser } from 'fast-xml-parser';
import { type Credentials, FeedFailure } from './feeds/contract.js';
import { ask, failureOf, readBody } from './feeds/http.js';

/** An answer larger than this is no answer of a camera; one nested deeper neither. */
const mostBytes = 1024 * 1024;
const mostDepth = 60;

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

const parser = new XMLParser({
  removeNSPrefix: true,
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  parseTagValue: false,
  parseAttributeValue: false,
  processEntities: { enabled: true, maxEntityCount: 0, maxExpansionDepth: 0 } as never,
  trimValues: true,
});

/** A node of an answer: its children and attributes (`@name`) by name. */
export type Node = { readonly [name: string]: Node | Node[] | string | undefined };

/** The child of a node, at a path; the first where there are several. */
export function child(node: Node | undefined, ...path: string[]): Node | undefined {
  let here: Node | undefined = node;
  for (const name of path) {
    const next = here?.[name];
    const one = Array.isArray(next) ? next[0] : next;
    here = typeof one === 'object' ? one : undefined;
  }
  return here;
}

/** The text at a path. */
export function text(node: Node | undefined, ...path: string[]): string | undefined {
  const last = path.at(-1);
  const parent = child(node, ...path.slice(0, -1));
  const value = last === undefined ? undefined : parent?.[last];
  const one = Array.isArray(value) ? value[0] : value;
  return typeof one === 'string' ? one : typeof one === 'object' && typeof one['#text'] === 'string' ? one['#text'] : undefined;
}

/** All children of that name. */
export const all = (node: Node | undefined, name: string): Node[] =>
  [node?.[name] ?? []].flat().filter((one): one is Node => typeof one === 'object');

/** Reads XML of a camera: no document type, no entities of its own, bounded in size and depth. */
export function readXml(bytes: Buffer): Node {
  const written = bytes.toString('utf8');
  if (bytes.length > mostBytes) throw new FeedFailure('wrong-type', `an answer of more than ${mostBytes} bytes`);
  if (/<!(DOCTYPE|ENTITY)/i.test(written)) throw new FeedFailure('wrong-type', 'XML with a document type of its own');
  let depth = 0;
  for (const tag of written.matchAll(/<(\/?)[A-Za-z_][^<>]*?(\/?)>/g)) {
    if (tag[1]) depth--;
    else if (!tag[2]) depth++;
    if (depth > mostDepth) throw new FeedFailure('wrong-type', `XML nested deeper than ${mostDepth} levels`);
  }
  try {
    return parser.parse(written) as Node;
  } catch (error) {
    throw new FeedFailure('wrong-type', `no XML: ${(error as Error).message.slice(0, 80)}`);
  }
}

const escaped = (value: string): string => value.replace(/[<>&"']/g, (c) => `&#${c.charCodeAt(0)};`);
/** A value as an element of a service. */
export const element = (name: string, value: string | number): string => `<${name}>${escaped(String(value))}</${name}>`;

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
    this.who = who;
    this.signal = signal;
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

  /** A name of the device that stays when its address changes. */
  async serial(): Promise<string | undefined> {
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
