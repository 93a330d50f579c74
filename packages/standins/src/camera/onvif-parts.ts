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

export const schema = 'http://www.onvif.org/ver10/schema';
export const namespaces = {
  tds: 'http://www.onvif.org/ver10/device/wsdl',
  trt: 'http://www.onvif.org/ver10/media/wsdl',
  tev: 'http://www.onvif.org/ver10/events/wsdl',
  tptz: 'http://www.onvif.org/ver20/ptz/wsdl',
  tmd: 'http://www.onvif.org/ver10/deviceIO/wsdl',
} as const;
export type Prefix = keyof typeof namespaces;
/** A message by WS-UsernameToken is as old as this at most, by the device's own clock. */
export const tokenMs = 5 * 60_000;
export const presetsAtStart: Record<string, HeadPosition> = {
  overview: { pan: 0, tilt: 0, zoom: 0 },
  gatehouse: { pan: -0.7, tilt: 0.1, zoom: 0.5 },
  'lily-pond': { pan: 0.6, tilt: 0.2, zoom: 0.5 },
  steps: { pan: 0.1, tilt: 0.5, zoom: 0.6 },
};

export type Node = { readonly [name: string]: Node | string | undefined };
export const parser = new XMLParser({
  removeNSPrefix: true,
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  parseTagValue: false,
  parseAttributeValue: false,
});
export const at = (node: Node | string | undefined, ...path: string[]): Node | string | undefined =>
  path.reduce<Node | string | undefined>((here, name) => (typeof here === 'object' ? here[name] : undefined), node);
export const text = (node: Node | string | undefined, ...path: string[]): string => {
  const found = at(node, ...path);
  return typeof found === 'string' ? found : typeof found === 'object' && typeof found['#text'] === 'string' ? found['#text'] : '';
};

export class Fault extends Error {
  readonly subcode: string;
  readonly status: number;
  constructor(status: number, subcode: string, reason: string) {
    super(reason);
    this.subcode = subcode;
    this.status = status;
  }
}

/** What it can say by itself: topics and their parts as the ONVIF specifications have them. */
const topicTable = {
  motion: { path: 'RuleEngine/CellMotionDetector/Motion', from: 'VideoSourceConfigurationToken', data: 'IsMotion' },
  inside: { path: 'RuleEngine/FieldDetector/ObjectsInside', from: 'Rule', data: 'IsInside' },
  crossed: { path: 'RuleEngine/LineDetector/Crossed', from: 'Rule', data: 'ObjectId', on: '17', moment: true },
  tamper: { path: 'RuleEngine/TamperDetector/Tamper', from: 'VideoSourceConfigurationToken', data: 'IsTamper' },
  input: { path: 'Device/Trigger/DigitalInput', from: 'InputToken', data: 'LogicalState' },
  relay: { path: 'Device/Trigger/Relay', from: 'RelayToken', data: 'LogicalState', on: 'active', off: 'inactive' },
} as const;
export type TopicName = keyof typeof topicTable;
interface Topic {
  readonly path: string;
  readonly from: string;
  readonly data: string;
  readonly on?: string;
  readonly off?: string;
  /** It has no duration. */
  readonly moment?: true;
}
export const topics: Readonly<Record<TopicName, Topic>> = topicTable;

/** The topics as a tree of elements (WS-Topics 1.3 §3). */
export function topicSet(): string {
  const tree: Record<string, Record<string, string[]>> = {};
  for (const { path } of Object.values(topics)) {
    const [first, second, third] = path.split('/');
    tree[first] ??= {};
    tree[first][second] = [...(tree[first][second] ?? []), ...(third ? [third] : [])];
  }
  const leaf = (name: string) => `<${name} wstop:topic="true"/>`;
  return Object.entries(tree)
    .map(([first, seconds]) => {
      const inner = Object.entries(seconds).map(([second, thirds]) =>
        thirds.length > 0 ? `<${second}>${thirds.map(leaf).join('')}</${second}>` : leaf(second),
      );
      return `<tns1:${first}>${inner.join('')}</tns1:${first}>`;
    })
    .join('');
}

export interface Told {
  readonly topic: string;
  /** Name of the item that says which source. */
  readonly from: string;
  readonly operation: string;
  readonly source: string;
  readonly name: string;
  readonly value: string;
  readonly at: number;
}
