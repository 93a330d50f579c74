import {
  type CooldownPart,
  durationMs,
  type EventKind,
  type EventSection,
  eventKindTable,
  type Member,
  type Output,
  type Priority,
  type Rule,
  type SiteDocument,
} from '@causalis/contract';
import { type ActionPlan, planAction } from '../firing/plan.js';
import { type Zone, zoneOf } from '../time/zone.js';
import { type CounterPlan, countersOf } from '../vision/settings.js';
import type { GuardSurroundings } from './guards/contract.js';
import { compileGuard, type NamedGuard } from './guards/registry.js';
import { guardSurroundings } from './guards/surroundings.js';
import { type PresencePlan, presencePlans } from './presence.js';

export interface CompiledRule {
  readonly key: string;
  readonly id: string;
  /** Under which its cooldowns are kept: another when its cause or cooldown changes, so that they begin afresh. */
  readonly stateId: string;
  readonly title: string;
  readonly active: boolean;
  readonly priority: Priority;
  readonly kinds: readonly EventKind[];
  readonly at?: ReadonlySet<string>;
  readonly marks?: ReadonlySet<string>;
  readonly labels?: ReadonlySet<string>;
  readonly who?: ReadonlySet<string>;
  readonly readings?: ReadonlySet<string>;
  readonly direction?: 'in' | 'out';
  readonly sure?: number;
  readonly guards: readonly NamedGuard[];
  readonly cooldown?: { readonly forMs: number; readonly per: readonly CooldownPart[] };
  readonly actions: readonly ActionPlan[];
}

/** A document made ready for judging: rules are found by event kind and source, never by trying each. */
export interface CompiledSite {
  readonly key: string;
  readonly name: string;
  readonly revision: number;
  readonly zone: Zone;
  readonly firstMode: string;
  readonly modes: readonly string[];
  readonly members: Readonly<Record<string, Member>>;
  readonly outputs: Readonly<Record<string, Output>>;
  readonly titles: Readonly<Record<string, string>>;
  readonly cameras: ReadonlySet<string>;
  /** Who is known to be there by what, by input or hook. */
  readonly presence: ReadonlyMap<string, readonly PresencePlan[]>;
  /** Every counter, by camera/mark. */
  readonly counters: ReadonlyMap<string, CounterPlan>;
  rule(key: string): CompiledRule | undefined;
  rulesFor(kind: EventKind, source: string): readonly CompiledRule[];
  /** A source that could set a rule off, for a trial. */
  exampleSource(rule: CompiledRule): { readonly section: EventSection; readonly source: string };
}

/** A short name of a value: the same for the same value (FNV-1a, 32 bits). */
function fingerprint(value: unknown): string {
  const text = JSON.stringify(value);
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  return (hash >>> 0).toString(36);
}

/** The sources that a cause names: a group stands for its cameras. */
export function sourcesNamed(document: Pick<SiteDocument, 'groups' | 'cameras'>, names: readonly string[]): ReadonlySet<string> {
  return new Set(
    names.flatMap((name) =>
      Object.hasOwn(document.groups, name)
        ? Object.entries(document.cameras).flatMap(([key, { group }]) => (group === name ? [key] : []))
        : [name],
    ),
  );
}

/** What the identity of an item is: it never changes, though its key may. */
export type IdentityOf = (section: 'rules', key: string) => string;

function compileRule(key: string, rule: Rule, around: GuardSurroundings, identity: IdentityOf): CompiledRule {
  const { cause, cooldown } = rule;
  return {
    key,
    id: identity('rules', key),
    stateId: `${identity('rules', key)}/${fingerprint([cause, cooldown])}`,
    title: rule.title,
    active: rule.active,
    priority: rule.priority,
    kinds: cause.event,
    ...(cause.at ? { at: sourcesNamed(around.document, cause.at) } : {}),
    ...(cause.mark ? { marks: new Set(cause.mark) } : {}),
    ...(cause.label ? { labels: new Set(cause.label) } : {}),
    ...(cause.who ? { who: new Set(cause.who) } : {}),
    ...(cause.reading ? { readings: new Set(cause.reading) } : {}),
    ...(cause.direction ? { direction: cause.direction } : {}),
    ...(cause.sure === undefined ? {} : { sure: cause.sure }),
    guards: (rule.guards ?? []).map((guard) => compileGuard(guard, around)),
    ...(cooldown ? { cooldown: { forMs: durationMs(cooldown.for), per: cooldown.per } } : {}),
    actions: Object.entries(rule.actions).map(([name, action]) => planAction(name, action)),
  };
}

/** Compiles a document once per revision. */
export function compileSite(document: SiteDocument, identity: IdentityOf): CompiledSite {
  const zone = zoneOf(document.site.timezone);
  const around = guardSurroundings(document, zone);
  const everywhere = new Map<string, CompiledRule[]>();
  const bySource = new Map<string, Map<string, CompiledRule[]>>();
  const add = (map: Map<string, CompiledRule[]>, key: string, rule: CompiledRule) => {
    const list = map.get(key);
    if (list) list.push(rule);
    else map.set(key, [rule]);
  };
  const byKey = new Map<string, CompiledRule>();
  for (const [key, rule] of Object.entries(document.rules)) {
    const compiled = compileRule(key, rule, around, identity);
    byKey.set(key, compiled);
    for (const kind of new Set(compiled.kinds)) {
      if (!compiled.at) add(everywhere, kind, compiled);
      else {
        const sources = bySource.get(kind) ?? new Map<string, CompiledRule[]>();
        bySource.set(kind, sources);
        for (const source of compiled.at) add(sources, source, compiled);
      }
    }
  }
  const none: readonly CompiledRule[] = [];
  return {
    key: document.site.key,
    name: document.site.name,
    revision: document.revision ?? 0,
    zone,
    firstMode: document.site.modes[0],
    modes: document.site.modes,
    members: document.members,
    outputs: document.outputs,
    titles: {
      ...Object.fromEntries(Object.entries(document.cameras).map(([key, camera]) => [key, camera.title])),
      [document.site.key]: document.site.name,
    },
    cameras: new Set(Object.keys(document.cameras)),
    presence: presencePlans(document),
    counters: countersOf(document),
    rule: (key) => byKey.get(key),
    exampleSource(rule) {
      const [named] = rule.at ?? [];
      const [section] = rule.kinds.flatMap((kind) => eventKindTable[kind].from);
      if (named !== undefined)
        return {
          section: document.cameras[named] ? 'cameras' : document.inputs[named] ? 'inputs' : document.hooks[named] ? 'hooks' : 'site',
          source: named,
        };
      const [any] = section === 'cameras' || section === 'hooks' || section === 'inputs' ? Object.keys(document[section]) : [];
      return any === undefined ? { section: 'site', source: document.site.key } : { section, source: any };
    },
    rulesFor(kind, source) {
      const here = bySource.get(kind)?.get(source);
      const any = everywhere.get(kind);
      return here && any ? [...here, ...any] : (here ?? any ?? none);
    },
  };
}
