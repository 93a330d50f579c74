import { createHash, timingSafeEqual } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { XMLParser } from 'fast-xml-parser';

/** A profile that an ONVIF stand-in offers: a channel in one size. */
export interface OfferedProfile {
  readonly token: string;
  readonly name: string;
  /** The channel that it shows. */
  readonly source: string;
  readonly codec: 'H264' | 'H265' | 'JPEG';
  readonly width: number;
  readonly height: number;
  readonly rate: number;
  /** Where its stream and its stills are. */
  readonly stream: string;
  readonly still: string;
}

/** What a head that can be steered looks at: pan and tilt from −1 to 1, zoom from 0 to 1. */
export interface HeadPosition {
  readonly pan: number;
  readonly tilt: number;
  readonly zoom: number;
}

/** A head that can be steered. */
export interface Head {
  position(): HeadPosition;
  isMoving(): boolean;
  goTo(position: HeadPosition): void;
  /** Moves on until it is stopped; speeds from −1 to 1. */
  move(speed: HeadPosition): void;
  stop(): void;
}

export interface OnvifOptions {
  readonly user: string;
  readonly password: string;
  readonly serial: string;
  readonly model: string;
  readonly profiles: readonly OfferedProfile[];
  readonly head?: Head;
  /** By how much its clock is ahead, ms. */
  clockMs: number;
}

const schema = 'http://www.onvif.org/ver10/schema';
const namespaces = {
  tds: 'http://www.onvif.org/ver10/device/wsdl',
  trt: 'http://www.onvif.org/ver10/media/wsdl',
  tev: 'http://www.onvif.org/ver10/events/wsdl',
  tptz: 'http://www.onvif.org/ver20/ptz/wsdl',
  tmd: 'http://www.onvif.org/ver10/deviceIO/wsdl',
} as const;
type Prefix = keyof typeof namespaces;
/** A message by WS-UsernameToken is as old as this at most, by the device's own clock. */
const tokenMs = 5 * 60_000;
const presetsAtStart: Record<string, HeadPosition> = {
  overview: { pan: 0, tilt: 0, zoom: 0 },
  gatehouse: { pan: -0.7, tilt: 0.1, zoom: 0.5 },
  'lily-pond': { pan: 0.6, tilt: 0.2, zoom: 0.5 },
  steps: { pan: 0.1, tilt: 0.5, zoom: 0.6 },
};

type Node = { readonly [name: string]: Node | string | undefined };
const parser = new XMLParser({
  removeNSPrefix: true,
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  parseTagValue: false,
  parseAttributeValue: false,
});
const at = (node: Node | string | undefined, ...path: string[]): Node | string | undefined =>
  path.reduce<Node | string | undefined>((here, name) => (typeof here === 'object' ? here[name] : undefined), node);
const text = (node: Node | string | undefined, ...path: string[]): string => {
  const found = at(node, ...path);
  return typeof found === 'string' ? found : typeof found === 'object' && typeof found['#text'] === 'string' ? found['#text'] : '';
};

class Fault extends Error {
  readonly subcode: string;
  readonly status: number;
  constructor(status: number, subcode: string, reason: string) {
    super(reason);
    this.subcode = subcode;
    this.status = status;
  }
}

interface Told {
  readonly topic: string;
  readonly source: string;
  readonly name: string;
  readonly value: string;
  readonly at: number;
}

/** The SOAP side of an ONVIF device: Device, Media, Events (pull point), PTZ and Device IO services (Profile S and T). */
export class OnvifDevice {
  readonly options: OnvifOptions;
  /** What it was told to do, for whoever looks. */
  readonly relays = new Map<string, boolean>([['relay-1', false]]);
  private readonly presets = new Map(Object.entries(presetsAtStart));
  private readonly waiting = new Set<() => void>();
  private readonly queues = new Map<string, Told[]>();
  private last = new Map<string, Told>();

  constructor(options: OnvifOptions) {
    this.options = options;
  }

  /** Reports a change of its own: motion at a source, or an input. */
  tell(topic: 'motion' | 'input', source: string, state: boolean): void {
    const [name, value] = topic === 'motion' ? ['IsMotion', String(state)] : ['LogicalState', String(state)];
    const path = topic === 'motion' ? 'tns1:RuleEngine/CellMotionDetector/Motion' : 'tns1:Device/Trigger/DigitalInput';
    const told = { topic: path, source, name, value, at: this.now() };
    this.last.set(`${path} ${source}`, told);
    for (const queue of this.queues.values()) queue.push(told);
    for (const wake of this.waiting) wake();
  }

  async answer(request: IncomingMessage, response: ServerResponse, body: string): Promise<void> {
    const base = `http://${request.headers.host}`;
    try {
      const envelope = at(parser.parse(body) as Node, 'Envelope');
      const content = at(envelope, 'Body');
      const [name] = typeof content === 'object' ? Object.keys(content).filter((key) => !key.startsWith('@')) : [];
      if (!name || typeof content !== 'object') throw new Fault(400, 'ter:WellFormed', 'The body is empty');
      const operation = operations[name];
      if (!operation) throw new Fault(500, 'ter:ActionNotSupported', `${name} is not supported`);
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
    const id = `p${this.queues.size + 1}`;
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

interface Operation {
  readonly prefix: Prefix;
  /** Answered to anybody (ONVIF Core §5.9.4.3: PRE_AUTH). */
  readonly open?: true;
  run(device: OnvifDevice, asked: Node | string | undefined, base: string, path: string): string | Promise<string>;
}

const wrap = (name: string, content: string | number, attributes = ''): string => `<${name}${attributes}>${content}</${name}>`;
const instant = (ms: number): string => new Date(ms).toISOString().replace(/\.\d+Z$/, 'Z');

function clock(device: OnvifDevice): string {
  const now = new Date(device.now());
  const time = wrap(
    'tt:Time',
    wrap('tt:Hour', now.getUTCHours()) + wrap('tt:Minute', now.getUTCMinutes()) + wrap('tt:Second', now.getUTCSeconds()),
  );
  const date = wrap(
    'tt:Date',
    wrap('tt:Year', now.getUTCFullYear()) + wrap('tt:Month', now.getUTCMonth() + 1) + wrap('tt:Day', now.getUTCDate()),
  );
  return wrap(
    'tds:SystemDateAndTime',
    `${wrap('tt:DateTimeType', 'Manual')}${wrap('tt:DaylightSavings', 'false')}${wrap('tt:TimeZone', wrap('tt:TZ', 'UTC0'))}${wrap('tt:UTCDateTime', time + date)}`,
  );
}

const paths: Record<Prefix, string> = {
  tds: 'device_service',
  trt: 'media_service',
  tev: 'event_service',
  tptz: 'ptz_service',
  tmd: 'io_service',
};
const offered = (device: OnvifDevice): Prefix[] =>
  (Object.keys(paths) as Prefix[]).filter((one) => one !== 'tptz' || device.options.head !== undefined);

function capabilities(device: OnvifDevice, base: string): string {
  const one = (name: string, prefix: Prefix, more = '') => wrap(`tt:${name}`, wrap('tt:XAddr', `${base}/onvif/${paths[prefix]}`) + more);
  const events = ['WSSubscriptionPolicySupport', 'WSPausableSubscriptionManagerInterfaceSupport']
    .map((name) => wrap(`tt:${name}`, 'false'))
    .join('');
  return wrap(
    'tds:Capabilities',
    one('Device', 'tds') +
      one('Events', 'tev', `${wrap('tt:WSPullPointSupport', 'true')}${events}`) +
      one('Media', 'trt', wrap('tt:StreamingCapabilities', wrap('tt:RTP_RTSP_TCP', 'true'))) +
      (device.options.head ? one('PTZ', 'tptz') : ''),
  );
}

const range = (name: string, space: string, low: number): string =>
  wrap(
    `tt:${name}`,
    wrap('tt:URI', `${schema.replace('ver10/schema', 'ver10/tptz')}/${space}`) + wrap('tt:XRange', wrap('tt:Min', low) + wrap('tt:Max', 1)),
  );

function profileXml(profile: OfferedProfile, ptz: boolean): string {
  const { token, name, source, codec, width, height, rate } = profile;
  const bounds = ` x="0" y="0" width="${width}" height="${height}"`;
  const sourceXml = wrap(
    'tt:VideoSourceConfiguration',
    `${wrap('tt:Name', source)}${wrap('tt:UseCount', 2)}${wrap('tt:SourceToken', source)}${wrap('tt:Bounds', '', bounds)}`,
    ` token="vs-${source}"`,
  );
  const rateXml = wrap('tt:RateControl', wrap('tt:FrameRateLimit', rate) + wrap('tt:EncodingInterval', 1) + wrap('tt:BitrateLimit', 2048));
  const encoder = wrap(
    'tt:VideoEncoderConfiguration',
    `${wrap('tt:Name', name)}${wrap('tt:UseCount', 1)}${wrap('tt:Encoding', codec)}${wrap('tt:Resolution', wrap('tt:Width', width) + wrap('tt:Height', height))}${wrap('tt:Quality', 4)}${rateXml}${wrap('tt:SessionTimeout', 'PT60S')}`,
    ` token="ve-${token}"`,
  );
  const head = ptz
    ? wrap('tt:PTZConfiguration', wrap('tt:Name', 'head') + wrap('tt:UseCount', 2) + wrap('tt:NodeToken', 'head'), ' token="head"')
    : '';
  return wrap('trt:Profiles', `${wrap('tt:Name', name)}${sourceXml}${encoder}${head}`, ` token="${token}" fixed="true"`);
}

const number = (value: Node | string | undefined, otherwise: number): number => {
  const found = Number(typeof value === 'string' && value !== '' ? value : Number.NaN);
  return Number.isFinite(found) ? Math.max(-1, Math.min(1, found)) : otherwise;
};
const headOf = (asked: Node | string | undefined, name: string, otherwise: HeadPosition): HeadPosition => ({
  pan: number(at(asked, name, 'PanTilt', '@x'), otherwise.pan),
  tilt: number(at(asked, name, 'PanTilt', '@y'), otherwise.tilt),
  zoom: number(at(asked, name, 'Zoom', '@x'), otherwise.zoom),
});
const still: HeadPosition = { pan: 0, tilt: 0, zoom: 0 };
const media = (uri: string): string =>
  wrap(
    'trt:MediaUri',
    `${wrap('tt:Uri', uri)}${wrap('tt:InvalidAfterConnect', 'false')}${wrap('tt:InvalidAfterReboot', 'false')}${wrap('tt:Timeout', 'PT0S')}`,
  );
const positionXml = ({ pan, tilt, zoom }: HeadPosition): string => `<tt:PanTilt x="${pan}" y="${tilt}"/><tt:Zoom x="${zoom}"/>`;
/** `PT5S`, `PT1M` as ms. */
const durationMs = (duration: string): number => {
  const found = /^PT(?:(\d+)M)?(?:([\d.]+)S)?$/.exec(duration);
  return found ? (Number(found[1] ?? 0) * 60 + Number(found[2] ?? 0)) * 1000 : 5_000;
};
const message = ({ topic, source, name, value, at: time }: Told): string =>
  wrap(
    'wsnt:NotificationMessage',
    `${wrap('wsnt:Topic', topic, ' Dialect="http://www.onvif.org/ver10/tev/topicExpression/ConcreteSet"')}${wrap(
      'wsnt:Message',
      wrap(
        'tt:Message',
        `${wrap('tt:Source', `<tt:SimpleItem Name="${topic.includes('Input') ? 'InputToken' : 'VideoSourceConfigurationToken'}" Value="${source}"/>`)}${wrap('tt:Data', `<tt:SimpleItem Name="${name}" Value="${value}"/>`)}`,
        ` UtcTime="${instant(time)}" PropertyOperation="Changed"`,
      ),
    )}`,
  );

/** Every operation that it answers. */
const operations: Readonly<Record<string, Operation>> = {
  GetSystemDateAndTime: { prefix: 'tds', open: true, run: (device) => clock(device) },
  GetCapabilities: { prefix: 'tds', open: true, run: (device, _, base) => capabilities(device, base) },
  GetServices: {
    prefix: 'tds',
    open: true,
    run: (device, _, base) =>
      offered(device)
        .map((prefix) =>
          wrap(
            'tds:Service',
            `${wrap('tds:Namespace', namespaces[prefix])}${wrap('tds:XAddr', `${base}/onvif/${paths[prefix]}`)}${wrap('tds:Version', wrap('tt:Major', 2) + wrap('tt:Minor', 60))}`,
          ),
        )
        .join(''),
  },
  GetDeviceInformation: {
    prefix: 'tds',
    run: ({ options }) =>
      `${wrap('tds:Manufacturer', 'Quillmere stand-ins')}${wrap('tds:Model', options.model)}${wrap('tds:FirmwareVersion', '1.0')}${wrap('tds:SerialNumber', options.serial)}${wrap('tds:HardwareId', '1')}`,
  },
  GetProfiles: {
    prefix: 'trt',
    run: ({ options }) => options.profiles.map((profile) => profileXml(profile, options.head !== undefined)).join(''),
  },
  GetVideoSources: {
    prefix: 'trt',
    run: ({ options }) =>
      [...new Map(options.profiles.map((profile) => [profile.source, profile])).values()]
        .map(({ source, width, height, rate }) =>
          wrap(
            'trt:VideoSources',
            `${wrap('tt:Framerate', rate)}${wrap('tt:Resolution', wrap('tt:Width', width) + wrap('tt:Height', height))}`,
            ` token="${source}"`,
          ),
        )
        .join(''),
  },
  GetStreamUri: { prefix: 'trt', run: (device, asked) => media(device.profile(text(asked, 'ProfileToken')).stream) },
  GetSnapshotUri: { prefix: 'trt', run: (device, asked) => media(device.profile(text(asked, 'ProfileToken')).still) },
  CreatePullPointSubscription: {
    prefix: 'tev',
    run: (device, _, base) => {
      const now = device.now();
      const address = wrap('wsa:Address', `${base}/onvif/pull/${device.subscribe()}`);
      return `${wrap('tev:SubscriptionReference', address)}${wrap('wsnt:CurrentTime', instant(now))}${wrap('wsnt:TerminationTime', instant(now + 600_000))}`;
    },
  },
  PullMessages: {
    prefix: 'tev',
    run: async (device, asked, _, path) => {
      const told = await device.pull(
        path.split('/').at(-1) ?? '',
        Math.min(60_000, durationMs(text(asked, 'Timeout'))),
        Number(text(asked, 'MessageLimit')) || 10,
      );
      const now = device.now();
      return `${wrap('tev:CurrentTime', instant(now))}${wrap('tev:TerminationTime', instant(now + 600_000))}${told.map(message).join('')}`;
    },
  },
  Renew: { prefix: 'tev', run: (device) => wrap('wsnt:TerminationTime', instant(device.now() + 600_000)) },
  Unsubscribe: {
    prefix: 'tev',
    run: (device, _, __, path) => {
      device.unsubscribe(path.split('/').at(-1) ?? '');
      return '';
    },
  },
  GetNodes: {
    prefix: 'tptz',
    run: (device) => {
      const spaces =
        range('AbsolutePanTiltPositionSpace', 'PanTiltSpaces/PositionGenericSpace', -1) +
        range('AbsoluteZoomPositionSpace', 'ZoomSpaces/PositionGenericSpace', 0);
      return wrap(
        'tptz:PTZNode',
        `${wrap('tt:Name', 'head')}${wrap('tt:SupportedPTZSpaces', spaces)}${wrap('tt:MaximumNumberOfPresets', 32)}${wrap('tt:HomeSupported', String(device.head !== undefined))}`,
        ' token="head"',
      );
    },
  },
  GetConfigurations: {
    prefix: 'tptz',
    run: () =>
      wrap('tptz:PTZConfiguration', wrap('tt:Name', 'head') + wrap('tt:UseCount', 1) + wrap('tt:NodeToken', 'head'), ' token="head"'),
  },
  GetPresets: {
    prefix: 'tptz',
    run: (device) =>
      device.presetNames
        .map((name) =>
          wrap('tptz:Preset', wrap('tt:Name', name) + wrap('tt:PTZPosition', positionXml(device.preset(name))), ` token="${name}"`),
        )
        .join(''),
  },
  SetPreset: {
    prefix: 'tptz',
    run: (device, asked) => {
      const name = text(asked, 'PresetToken') || text(asked, 'PresetName');
      if (!/^[\w-]{1,60}$/.test(name)) throw new Fault(400, 'ter:InvalidPresetName', 'The preset name is no good');
      device.savePreset(name);
      return wrap('tptz:PresetToken', name);
    },
  },
  GotoPreset: {
    prefix: 'tptz',
    run: (device, asked) => {
      device.head.goTo(device.preset(text(asked, 'PresetToken')));
      return '';
    },
  },
  GotoHomePosition: {
    prefix: 'tptz',
    run: (device) => {
      device.head.goTo(still);
      return '';
    },
  },
  AbsoluteMove: {
    prefix: 'tptz',
    run: (device, asked) => {
      device.head.goTo(headOf(asked, 'Position', device.head.position()));
      return '';
    },
  },
  ContinuousMove: {
    prefix: 'tptz',
    run: (device, asked) => {
      device.head.move(headOf(asked, 'Velocity', still));
      return '';
    },
  },
  Stop: {
    prefix: 'tptz',
    run: (device) => {
      device.head.stop();
      return '';
    },
  },
  GetStatus: {
    prefix: 'tptz',
    run: (device) => {
      const state = device.head.isMoving() ? 'MOVING' : 'IDLE';
      const moving = wrap('tt:MoveStatus', wrap('tt:PanTilt', state) + wrap('tt:Zoom', state));
      return wrap(
        'tptz:PTZStatus',
        `${wrap('tt:Position', positionXml(device.head.position()))}${moving}${wrap('tt:UtcTime', instant(device.now()))}`,
      );
    },
  },
  GetRelayOutputs: {
    prefix: 'tds',
    run: (device) =>
      [...device.relays.keys()]
        .map((token) =>
          wrap(
            'tds:RelayOutputs',
            wrap('tt:Properties', wrap('tt:Mode', 'Bistable') + wrap('tt:DelayTime', 'PT0S') + wrap('tt:IdleState', 'open')),
            ` token="${token}"`,
          ),
        )
        .join(''),
  },
  SetRelayOutputState: {
    prefix: 'tds',
    run: (device, asked) => {
      const token = text(asked, 'RelayOutputToken');
      if (!device.relays.has(token)) throw new Fault(400, 'ter:RelayToken', 'Unknown relay token reference');
      device.relays.set(token, text(asked, 'LogicalState') === 'active');
      return '';
    },
  },
};
