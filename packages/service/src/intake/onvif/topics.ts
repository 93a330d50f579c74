import type { OwnReport } from '@causalis/contract';
import { all, child, type Node, text } from './xml.js';

/** What a device says of itself: a state of something that goes on, or a moment. Times by the device's clock, ms. */
export interface DeviceNotice {
  readonly what: OwnReport | 'input' | 'relay';
  /** Which of its sources: an input, a relay, a view. */
  readonly source: string;
  /** The device's own name of the rule that found it. */
  readonly rule?: string;
  /** Whether it is so now; nothing for what has no duration. */
  readonly state?: boolean;
  /** How things stood when somebody began to listen: no news. */
  readonly initial: boolean;
  readonly at: number;
}

/**
 * Topics of the ONVIF specifications (Core §9.10, Device IO §5, Imaging §6, Analytics §5.3), by their beginning, and what each
 * is for us.
 */
const topics: readonly (readonly [begins: string, what: DeviceNotice['what']])[] = [
  ['RuleEngine/CellMotionDetector/Motion', 'motion'],
  ['RuleEngine/MotionRegionDetector/Motion', 'motion'],
  ['VideoSource/MotionAlarm', 'motion'],
  ['RuleEngine/FieldDetector/ObjectsInside', 'inside'],
  ['RuleEngine/LineDetector/Crossed', 'crossed'],
  ['RuleEngine/TamperDetector/Tamper', 'covered'],
  ['VideoSource/ImageTooDark', 'covered'],
  ['VideoSource/GlobalSceneChange', 'moved'],
  ['VideoSource/ImageTooBlurry', 'blurred'],
  ['VideoSource/ImageTooBright', 'blinded'],
  ['Device/Trigger/DigitalInput', 'input'],
  ['Device/Trigger/Relay', 'relay'],
];

/** What a topic is for us; nothing for one that has no word of ours. */
export function topicMeans(path: string): DeviceNotice['what'] | undefined {
  const plain = path
    .split('/')
    .map((step) => step.replace(/^[\w-]+:/, ''))
    .join('/');
  return topics.find(([begins]) => plain === begins || plain.startsWith(`${begins}/`))?.[1];
}

/** A notification (WS-BaseNotification 1.3 with ONVIF's message, Core §9.4.3) as a notice of ours; nothing for what has no word of ours. */
export function noticeOf(notification: Node): DeviceNotice | undefined {
  const what = topicMeans((text(notification, 'Topic') ?? '').trim());
  const message = child(notification, 'Message', 'Message');
  const operation = text(message, '@PropertyOperation');
  if (!what || !message || operation === 'Deleted') return undefined;
  const items = (part: string) =>
    new Map(all(child(message, part), 'SimpleItem').map((item) => [text(item, '@Name') ?? '', text(item, '@Value') ?? '']));
  const [source, data] = [items('Source'), items('Data')];
  const state = [...data].find(([name]) => /^(Is\w+|State|LogicalState)$/.test(name))?.[1].toLowerCase();
  const rule = source.get('Rule');
  const at = Date.parse(text(message, '@UtcTime') ?? '');
  return {
    what,
    source: (source.get('InputToken') ?? source.get('RelayToken') ?? [...source].find(([name]) => name !== 'Rule')?.[1] ?? '').slice(
      0,
      100,
    ),
    ...(rule ? { rule: rule.slice(0, 100) } : {}),
    ...(state === undefined || what === 'crossed' ? {} : { state: ['true', '1', 'active'].includes(state) }),
    initial: operation === 'Initialized',
    at,
  };
}
