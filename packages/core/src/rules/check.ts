import {
  type Action,
  type Attribute,
  areaOf,
  type Camera,
  canGive,
  declarationOf,
  deviceFeeds,
  type EventSection,
  eventKindTable,
  type Finding,
  type FindingValues,
  nearest,
  onlyFromCameras,
  type Rule,
  type SiteDocument,
  verbOf,
} from '@causalis/contract';
import { sourcesNamed } from './compile.js';
import { checkGuard } from './guards/registry.js';
import { templateFields, unknownFields } from './template.js';

type Say = (level: Finding['level'], code: string, path: Finding['path'], values?: FindingValues) => void;

/**
 * What a document of right shape says that cannot be: names of nothing, causes that no source gives, actions that
 * wait for each other, texts with fields that do not exist. Nothing here needs a running service.
 */
export function checkDocument(document: SiteDocument): Finding[] {
  const findings: Finding[] = [];
  const say: Say = (level, code, path, values = {}) => findings.push({ level, code, path, values });

  const oneOf = (what: string, name: string, known: readonly string[], path: Finding['path'], level: Finding['level'] = 'error') => {
    if (known.includes(name)) return true;
    const near = nearest(name, known);
    say(level, 'unknown-name', path, { what, value: name, ...(near ? { near } : {}), known: known.slice(0, 8).join(', ') || 'none' });
    return false;
  };

  const devices = devicesOf(document);
  checkKeys(document, say);
  for (const [key, member] of Object.entries(document.members)) {
    const { input, is, hook } = member.presence ?? {};
    const readings = Object.values(document.inputs[input ?? '']?.readings ?? {});
    if (input && oneOf('input', input, Object.keys(document.inputs), ['members', key, 'presence', 'input']) && is)
      oneOf('reading', is, [...new Set(readings)], ['members', key, 'presence', 'is']);
    if (hook) oneOf('hook', hook, Object.keys(document.hooks), ['members', key, 'presence', 'hook']);
    member.ways.forEach((way, i) => {
      const path = ['members', key, 'ways', i, 'over'];
      if (oneOf('output', way.over, Object.keys(document.outputs), path) && declarationOf(document.outputs[way.over]).carries !== 'tell')
        say('error', 'wrong-output', path, { value: way.over });
    });
  }
  for (const [key, output] of Object.entries(document.outputs)) {
    const broker = declarationOf(output).broker?.(output);
    if (broker !== undefined) oneOf('broker', broker, Object.keys(document.brokers), ['outputs', key, 'over']);
    if (output.kind === 'relay') oneOf('ONVIF camera', output.camera, devices, ['outputs', key, 'camera']);
    if (output.kind === 'light' && !output['read-back']) say('hint', 'no-read-back', ['outputs', key], {});
  }
  for (const [key, input] of Object.entries(document.inputs)) {
    if (input.over) oneOf('broker', input.over, Object.keys(document.brokers), ['inputs', key, 'over']);
    if (input.camera) oneOf('ONVIF camera', input.camera, devices, ['inputs', key, 'camera']);
  }
  for (const [key, camera] of Object.entries(document.cameras)) {
    if (camera.group !== undefined) oneOf('group', camera.group, Object.keys(document.groups), ['cameras', key, 'group']);
    if (camera.recogniser !== undefined)
      oneOf('recogniser', camera.recogniser, Object.keys(document.recognisers), ['cameras', key, 'recogniser']);
    if ((camera.reports ?? []).length > 0 && deviceFeeds(camera).length === 0)
      say('error', 'reports-of-device', ['cameras', key, 'reports'], { value: key });
    checkMarks(camera, ['cameras', key], say);
  }
  for (const [key, { camera }] of Object.entries(document.accounts))
    oneOf('camera', camera, Object.keys(document.cameras), ['accounts', key, 'camera']);
  for (const [key, { feeds }] of Object.entries(document.cameras)) {
    const pushed = feeds.main.kind === 'pushed';
    if (pushed && !Object.values(document.accounts).some(({ camera }) => camera === key))
      say('warning', 'pushed-without-account', ['cameras', key, 'feeds', 'main'], { value: key });
    if (feeds.small?.kind === 'pushed') say('error', 'pushed-is-main', ['cameras', key, 'feeds', 'small']);
  }
  for (const [key, group] of Object.entries(document.groups))
    if (group.recogniser !== undefined)
      oneOf('recogniser', group.recogniser, Object.keys(document.recognisers), ['groups', key, 'recogniser']);
  for (const [key, rule] of Object.entries(document.rules)) {
    // A draft may be unfinished: what stops an active rule is only a hint at one that is off.
    const level = rule.active ? 'error' : 'warning';
    checkCause(document, rule, ['rules', key, 'cause'], oneOf, (code, path, values) => say(level, code, path, values), level);
    (rule.guards ?? []).forEach((guard, i) => {
      checkGuard(guard, document, ['rules', key, 'guards', i], (what, name, known, path) => oneOf(what, name, known, path, level));
    });
    checkActions(document, rule, ['rules', key, 'actions'], oneOf, say, level);
  }
  return findings;
}

const devicesOf = ({ cameras }: SiteDocument): string[] => Object.keys(cameras).filter((key) => deviceFeeds(cameras[key]).length > 0);

type OneOf = (what: string, name: string, known: readonly string[], path: Finding['path'], level?: Finding['level']) => boolean;

/** Keys are unique among all sources, and among all ways out. */
function checkKeys(document: SiteDocument, say: Say): void {
  const taken = new Map([[document.site.key, 'site']]);
  for (const section of ['groups', 'cameras', 'inputs', 'hooks', 'accounts'] as const)
    for (const key of Object.keys(document[section])) {
      const by = taken.get(key);
      if (by !== undefined) say('error', 'key-taken', [section, key], { value: key, by });
      else taken.set(key, section);
    }
  // A head is a way out under its camera's key.
  const heads = new Set(devicesOf(document));
  for (const key of Object.keys(document.outputs))
    if (heads.has(key)) say('error', 'key-taken', ['outputs', key], { value: key, by: 'cameras' });
}

function checkCause(
  document: SiteDocument,
  rule: Rule,
  path: Finding['path'],
  oneOf: OneOf,
  say: (code: string, path: Finding['path'], values?: FindingValues) => void,
  level: Finding['level'],
): void {
  const { cause } = rule;
  const { cameras, groups, hooks, inputs, site } = document;
  const sources = [...Object.keys({ ...cameras, ...groups, ...inputs, ...hooks }), site.key];
  const sectionOf = (key: string): EventSection =>
    cameras[key] || groups[key] ? 'cameras' : hooks[key] ? 'hooks' : inputs[key] ? 'inputs' : 'site';
  const wanted = new Set(cause.event.flatMap((kind) => eventKindTable[kind].from));
  cause.at?.forEach((key, i) => {
    const place = cause.at?.length === 1 ? [...path, 'at'] : [...path, 'at', i];
    if (!oneOf('source', key, sources, place, level)) return;
    if (!cause.event.some((kind) => canGive(sectionOf(key), kind)))
      say('cause-cannot-come', place, { event: cause.event.join(', '), value: key });
    else if (groups[key] && sourcesNamed(document, [key]).size === 0) say('empty-group', place, { value: key });
  });
  if (!cause.at)
    for (const section of wanted)
      if (section !== 'site' && section !== 'outputs' && section !== 'recognisers' && Object.keys(document[section]).length === 0)
        say('no-source', [...path, 'event'], { event: cause.event.join(', '), section });
  const named = cause.at && sourcesNamed(document, cause.at);
  if (cause.mark && [...(named ?? [])].every((key) => cameras[key])) {
    const these = Object.entries(cameras).filter(([key]) => !named || named.has(key));
    const lines = cause.event.every((kind) => kind === 'line.crossed');
    const zones = [
      ...new Set(
        these.flatMap(([, camera]) => Object.entries(camera.marks).flatMap(([name, mark]) => (mark.zone || mark.line ? [name] : []))),
      ),
    ];
    for (const mark of cause.mark) oneOf(lines ? 'line' : 'zone', mark, zones, [...path, 'mark'], level);
  }
  for (const field of ['label', 'who', 'sure', 'reading'] as const) {
    if (cause[field] === undefined || knows(cause.event, field)) continue;
    say('cause-cannot-know', [...path, field], { field, event: cause.event.join(', ') });
  }
}

/** What is drawn on a camera's picture and cannot do what it is drawn for. */
function checkMarks(camera: Camera, path: Finding['path'], say: Say): void {
  const marks = Object.entries(camera.marks);
  for (const [name, mark] of marks) {
    const place = [...path, 'marks', name];
    const area = areaOf(mark);
    if (name === 'picture') say('error', 'reserved-key', place, { value: name });
    if (area && 'cells' in area && !area.cells.some((row) => row.includes('#'))) say('warning', 'empty-area', place, { value: name });
    if (mark['every-change']) say('warning', 'no-filters', place, { value: name });
  }
  if (!marks.some(([, { zone }]) => zone)) say('hint', 'no-zone', path, {});
}

/** Whether some of these kinds can know an attribute. */
const knows = (kinds: Rule['cause']['event'], attribute: Attribute): boolean =>
  kinds.some((kind) => eventKindTable[kind].knows.includes(attribute));

function checkActions(document: SiteDocument, rule: Rule, path: Finding['path'], oneOf: OneOf, say: Say, level: Finding['level']): void {
  const names = Object.keys(rule.actions);
  const outputs = (carries: 'call' | 'set') =>
    Object.keys(document.outputs).filter((key) => declarationOf(document.outputs[key]).carries === carries);
  const fromCamera = onlyFromCameras(rule.cause.event);
  const setTo = new Map<string, string>();
  for (const [name, action] of Object.entries(rule.actions)) {
    const place = [...path, name];
    action.tell?.forEach((member) => {
      oneOf('member', member, Object.keys(document.members), [...place, 'tell'], level);
    });
    if (action.call) oneOf('output to call', action.call, outputs('call'), [...place, 'call'], level);
    if (action.look) oneOf('ONVIF camera', action.look, devicesOf(document), [...place, 'look'], level);
    if (action.set) oneOf('light or relay', action.set, outputs('set'), [...place, 'set'], level);
    if (action.still?.camera) oneOf('camera', action.still.camera, Object.keys(document.cameras), [...place, 'still', 'camera'], level);
    else if (action.still && !fromCamera) say(level, 'still-of-what', [...place, 'still'], {});
    if (action.with && oneOf('action', action.with, names, [...place, 'with'], level) && verbOf(rule.actions[action.with]) !== 'still')
      say(level, 'with-no-picture', [...place, 'with'], { value: action.with });
    for (const need of action.needs ?? []) oneOf('action', need.action, names, [...place, 'needs'], level);
    for (const field of unknownFields(action.words ?? ''))
      say(level, 'unknown-field', [...place, 'words'], { value: field, known: templateFields.join(', ') });
    const said = (['label', 'who'] as const).filter((field) => action.words?.includes(`{${field}}`));
    if (said.some((field) => !knows(rule.cause.event, field)))
      say('warning', 'text-knows-more', [...place, 'words'], { event: rule.cause.event.join(', ') });
    if (action.set) {
      const before = setTo.get(action.set);
      if (before) say('warning', 'two-values', [...place, 'set'], { value: action.set, other: before });
      setTo.set(action.set, name);
    }
  }
  for (const circle of circles(rule.actions)) say(level, 'needs-in-circle', [...path, circle[0], 'needs'], { value: circle.join(' → ') });
  if (rule.active && names.length === 0 && rule.cooldown) say('hint', 'only-records', path.slice(0, 2), {});
}

/** Actions that wait for each other, each circle once. */
function circles(actions: Record<string, Action>): string[][] {
  const found: string[][] = [];
  const done = new Set<string>();
  const visit = (name: string, way: string[]): void => {
    const at = way.indexOf(name);
    if (at >= 0) {
      found.push([...way.slice(at), name]);
      return;
    }
    if (done.has(name) || !actions[name]) return;
    for (const next of [...(actions[name].needs ?? []).map(({ action }) => action), ...(actions[name].with ? [actions[name].with] : [])])
      visit(next, [...way, name]);
    done.add(name);
  };
  for (const name of Object.keys(actions)) visit(name, []);
  return found;
}
