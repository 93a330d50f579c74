import {
  type CooldownPart,
  durationMs,
  type EventKind,
  type Member,
  type Output,
  type Priority,
  type Rule,
  type SiteDocument,
} from '@causalis/contract';
import { type ActionPlan, planAction } from '../firing/plan.js';
import { type Zone, zoneOf } from '../time/zone.js';
import { compileGuard, type NamedGuard } from './guards/registry.js';

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
  rulesFor(kind: EventKind, source: string): readonly CompiledRule[];
}

/** A short name of a value: the same for the same value (FNV-1a, 32 bits). */
function fingerprint(value: unknown): string {
  const text = JSON.stringify(value);
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  return (hash >>> 0).toString(36);
}

/** What the identity of an item is: it never changes, though its key may. */
export type IdentityOf = (section: 'rules', key: string) => string;

function compileRule(key: string, rule: Rule, document: SiteDocument, zone: Zone, identity: IdentityOf): CompiledRule {
  const { cause, cooldown } = rule;
  return {
    key,
    id: identity('rules', key),
    stateId: `${identity('rules', key)}/${fingerprint([cause, cooldown])}`,
    title: rule.title,
    active: rule.active,
    priority: rule.priority,
    kinds: cause.event,
    ...(cause.at ? { at: new Set(cause.at) } : {}),
    ...(cause.mark ? { marks: new Set(cause.mark) } : {}),
    ...(cause.label ? { labels: new Set(cause.label) } : {}),
    ...(cause.who ? { who: new Set(cause.who) } : {}),
    ...(cause.sure === undefined ? {} : { sure: cause.sure }),
    guards: (rule.guards ?? []).map((guard) => compileGuard(guard, document, zone)),
    ...(cooldown ? { cooldown: { forMs: durationMs(cooldown.for), per: cooldown.per } } : {}),
    actions: Object.entries(rule.actions).map(([name, action]) => planAction(name, action)),
  };
}

/** Compiles a document once per revision. */
export function compileSite(document: SiteDocument, identity: IdentityOf): CompiledSite {
  const zone = zoneOf(document.site.timezone);
  const everywhere = new Map<string, CompiledRule[]>();
  const bySource = new Map<string, CompiledRule[]>();
  const add = (map: Map<string, CompiledRule[]>, key: string, rule: CompiledRule) => {
    const list = map.get(key);
    if (list) list.push(rule);
    else map.set(key, [rule]);
  };
  for (const [key, rule] of Object.entries(document.rules)) {
    const compiled = compileRule(key, rule, document, zone, identity);
    for (const kind of new Set(compiled.kinds)) {
      if (!compiled.at) add(everywhere, kind, compiled);
      else for (const source of compiled.at) add(bySource, `${kind} ${source}`, compiled);
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
    rulesFor(kind, source) {
      const here = bySource.get(`${kind} ${source}`);
      const any = everywhere.get(kind);
      return here && any ? [...here, ...any] : (here ?? any ?? none);
    },
  };
}
