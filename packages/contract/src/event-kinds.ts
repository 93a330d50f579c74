/** What can give an event: items of a section, or the site itself. */
export const eventSections = ['cameras', 'inputs', 'hooks', 'outputs', 'recognisers', 'site'] as const;
export type EventSection = (typeof eventSections)[number];
/** What an event may know beside its kind, and a cause may ask for. */
export type Attribute = 'label' | 'who' | 'sure' | 'reading';

interface KindOfEvent {
  /** Which sections' items can give it. */
  readonly from: readonly EventSection[];
  readonly knows: readonly Attribute[];
  /** False for what Causalis writes about a trial: no rule can have it as its cause. */
  readonly cause: boolean;
}

const kind = (from: EventSection | readonly EventSection[], more: Partial<KindOfEvent> = {}): KindOfEvent => ({
  from: typeof from === 'string' ? [from] : from,
  knows: [],
  cause: true,
  ...more,
});

/** What is known of a thing that was followed. */
const seen: Partial<KindOfEvent> = { knows: ['label', 'sure'] };

/** The kinds of events that this version can give: a new one is one line here, and its sentence in `words`. */
export const eventKindTable = {
  'motion.began': kind('cameras'),
  'motion.ended': kind('cameras'),
  'object.appeared': kind('cameras', seen),
  'object.entered': kind('cameras', seen),
  'object.left': kind('cameras', seen),
  'object.lingered': kind('cameras', seen),
  'line.crossed': kind('cameras', seen),
  'count.reached': kind('cameras'),
  'camera.reported': kind('cameras'),
  'camera.lost': kind('cameras'),
  'camera.frozen': kind('cameras'),
  'camera.restored': kind('cameras'),
  'view.covered': kind('cameras'),
  'view.moved': kind('cameras'),
  'view.blurred': kind('cameras'),
  'view.blinded': kind('cameras'),
  'view.cleared': kind('cameras'),
  'head.moved': kind('cameras'),
  'recogniser.failing': kind('recognisers'),
  'recogniser.working': kind('recognisers'),
  'input.changed': kind('inputs', { knows: ['reading'] }),
  'hook.called': kind('hooks', { knows: ['label', 'who', 'sure'] }),
  'member.arrived': kind('site', { knows: ['who'] }),
  'member.left': kind('site', { knows: ['who'] }),
  'mode.changed': kind('site'),
  'service.started': kind('site'),
  'clock.jumped': kind('site'),
  'storage.low': kind('site'),
  'storage.enough': kind('site'),
  'source.flooding': kind(['cameras', 'inputs', 'hooks']),
  'rule.crowded': kind('site'),
  'output.failing': kind('outputs'),
  'output.working': kind('outputs'),
  'rule.tried': kind(['cameras', 'inputs', 'hooks', 'site'], { cause: false }),
  'output.tried': kind('outputs', { cause: false }),
  'output.set': kind('outputs', { cause: false }),
};
export type EventKind = keyof typeof eventKindTable;
export const eventKinds = Object.keys(eventKindTable) as EventKind[];
/** Those that a rule can have as its cause. */
export const causeKinds = eventKinds.filter((name) => eventKindTable[name].cause);

/** Whether a source of a section can give events of a kind. */
export const canGive = (section: EventSection, name: EventKind): boolean => eventKindTable[name].from.includes(section);
/** Whether all of these kinds come from cameras alone. */
export const onlyFromCameras = (names: readonly EventKind[]): boolean =>
  names.every((name) => eventKindTable[name].from.every((section) => section === 'cameras'));
