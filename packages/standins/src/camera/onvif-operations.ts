import type { OnvifDevice } from './onvif.js';
import {
  at,
  Fault,
  type HeadPosition,
  type Node,
  namespaces,
  type OfferedProfile,
  type Prefix,
  schema,
  type Told,
  text,
  topicSet,
} from './onvif-parts.js';

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
/** Each service has an address of its own, and each subscription. */
export const answersAt = ({ prefix }: Operation, path: string): boolean =>
  path === `/onvif/${paths[prefix]}` || (prefix === 'tev' && path.startsWith('/onvif/pull/'));
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
const message = ({ topic, from, source, name, value, operation, at: time }: Told): string =>
  wrap(
    'wsnt:NotificationMessage',
    `${wrap('wsnt:Topic', topic, ' Dialect="http://www.onvif.org/ver10/tev/topicExpression/ConcreteSet"')}${wrap(
      'wsnt:Message',
      wrap(
        'tt:Message',
        `${wrap('tt:Source', `<tt:SimpleItem Name="${from}" Value="${source}"/>`)}${wrap('tt:Data', `<tt:SimpleItem Name="${name}" Value="${value}"/>`)}`,
        ` UtcTime="${instant(time)}" PropertyOperation="${operation}"`,
      ),
    )}`,
  );

/** Every operation that it answers. */
export const operations: Readonly<Record<string, Operation>> = {
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
  GetEndpointReference: { prefix: 'tds', run: (device) => wrap('tds:GUID', device.endpoint) },
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
  GetEventProperties: {
    prefix: 'tev',
    run: () =>
      `${wrap('tev:TopicNamespaceLocation', 'http://www.onvif.org/onvif/ver10/topics/topicns.xml')}${wrap('wsnt:FixedTopicSet', 'true')}${wrap('wstop:TopicSet', topicSet())}${wrap('wsnt:TopicExpressionDialect', 'http://www.onvif.org/ver10/tev/topicExpression/ConcreteSet')}`,
  },
  GetDigitalInputs: {
    prefix: 'tmd',
    run: () => ['input-1', 'input-2'].map((token) => wrap('tmd:DigitalInputs', '', ` token="${token}"`)).join(''),
  },
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
      device.switchRelay(token, text(asked, 'LogicalState') === 'active');
      return '';
    },
  },
};
