import { z } from 'zod';
import { ActionReport, Chain, Delivery, DeliveryState, Firing, Verdict } from '../chain.js';
import { sections } from '../document/document.js';
import { LightValue } from '../document/outputs/light.js';
import { Rule } from '../document/rule.js';
import { CloudEvent, EventKindName, SiteEvent } from '../event.js';
import { Finding } from '../finding.js';
import { Key, Line } from '../key.js';
import { CameraState, DrawnMark, WatchingChange, WatchingInForce } from '../live.js';
import { Duration, oneOrMany } from '../units.js';
import { HeadCommand, HeadReport } from './head.js';
import { permissions, roles } from './paths.js';
import { CounterReport, DeviceReport, FoundDevice, PathsReport, PathsRequest, ProbeReport, ProbeRequest } from './probe.js';
import { ReplayReport, ReplayRequest, SuggestReport } from './replay.js';
import { AccountReport, HookReport, InputReport, RefusedArrival } from './sources.js';

const instant = z.iso.datetime({ precision: 3 });
const limit = z.coerce.number().int().min(1).max(200).default(50);

const siteParams = z.object({ site: Key });
const itemParams = z.object({ site: Key, key: Key });
const idParams = z.object({ site: Key, id: z.uuid() });

/** A JPEG or a text: not described further. */
const bytes = z.unknown();

export const Me = z.object({ name: z.string(), role: z.enum(roles), permissions: z.array(z.enum(permissions)) });
export type Me = z.infer<typeof Me>;

export const SiteSummary = z.object({ key: z.string(), name: z.string(), timezone: z.string(), revision: z.number().int() });
export type SiteSummary = z.infer<typeof SiteSummary>;

export const CameraReport = z.object({ key: z.string(), title: z.string(), state: CameraState, marks: z.array(DrawnMark) });
export type CameraReport = z.infer<typeof CameraReport>;

export const Status = z.object({
  site: SiteSummary,
  mode: z.string(),
  cameras: z.array(CameraReport),
  rules: z.object({ active: z.number().int(), inactive: z.number().int() }),
  deliveries: z.object({ open: z.number().int(), failedLastDay: z.number().int() }),
  started: instant,
  version: z.string(),
});
export type Status = z.infer<typeof Status>;

/** An event as lists show it: with what became of it. */
export const EventRow = SiteEvent.extend({ title: z.string(), verdicts: z.array(Verdict) });
export type EventRow = z.infer<typeof EventRow>;

export const RuleReport = z.object({
  key: z.string(),
  rule: Rule,
  lastFired: instant.optional(),
  lastEvent: z.uuid().optional(),
  firedLastDay: z.number().int(),
  /** How often it fired and was held, and by what: `fired`, `inactive`, `cooldown`, `guard:mode` …; whole hours, tests apart. */
  lastDay: z.record(z.string(), z.number().int()),
  lastWeek: z.record(z.string(), z.number().int()),
  /** What the check says of it. */
  findings: z.array(Finding),
});
export type RuleReport = z.infer<typeof RuleReport>;

/** What a rule would do, or what its trial has begun. */
export const TrialReport = z.object({
  verdict: Verdict,
  /** The event of a real trial. */
  event: z.uuid().optional(),
  /** What a dry one would do: its actions, if all that they wait for arrives. */
  actions: z.array(ActionReport.pick({ name: true, verb: true, after: true, reason: true }).extend({ does: z.array(z.string()) })),
});
export type TrialReport = z.infer<typeof TrialReport>;

/** How an output does. */
export const OutputHealth = z.object({
  open: z.number().int(),
  lastDelivered: instant.optional(),
  lastFailed: Delivery.optional(),
  lastTest: Delivery.optional(),
});
export type OutputHealth = z.infer<typeof OutputHealth>;

export const OutputReport = OutputHealth.extend({
  key: z.string(),
  kind: z.string(),
  carries: z.enum(['tell', 'call', 'set']),
  /** Where it goes, in short. */
  goesTo: z.string(),
  /** Rules and members that use it. */
  usedBy: z.array(z.string()),
  /** What a light shows, as far as is known. */
  shows: LightValue.optional(),
  confirmed: z.boolean().optional(),
});
export type OutputReport = z.infer<typeof OutputReport>;

export const UserReport = z.object({ name: z.string(), role: z.enum(roles), created: instant });
export type UserReport = z.infer<typeof UserReport>;
export const TokenReport = z.object({
  id: z.uuid(),
  name: z.string(),
  user: z.string(),
  created: instant,
  expires: instant.optional(),
  permissions: z.array(z.enum(permissions)),
  /** The only site that it is good for. */
  site: z.string().optional(),
});
export type TokenReport = z.infer<typeof TokenReport>;
export const AuditLine = z.object({
  id: z.number().int(),
  at: instant,
  site: z.string().optional(),
  by: z.string(),
  address: z.string(),
  what: z.string(),
  detail: z.unknown(),
});
export type AuditLine = z.infer<typeof AuditLine>;

const Password = z.string().min(10).max(200);
const nameParams = z.object({ name: Line });
const itemOfSection = z.object({ site: Key, section: z.enum(sections), key: Key });

export const ModeReport = z.object({ mode: z.string(), modes: z.array(z.string()) });
export type ModeReport = z.infer<typeof ModeReport>;

export const SecretReport = z.object({ key: z.string(), set: z.boolean(), uses: z.array(z.string()), bound: z.array(z.string()) });
export type SecretReport = z.infer<typeof SecretReport>;

export const CheckReport = z.object({ findings: z.array(Finding) });
export const ApplyReport = z.object({ revision: z.number().int(), changed: z.array(z.string()), findings: z.array(Finding) });
export type ApplyReport = z.infer<typeof ApplyReport>;

/** What an apply would do. Paths are section/key. */
export const Preview = z.object({
  added: z.array(z.string()),
  changed: z.array(z.object({ path: z.string(), fields: z.array(z.string()) })),
  removed: z.array(z.string()),
  renamed: z.array(z.object({ section: z.string(), from: z.string(), to: z.string() })),
  /** Rules whose cooldowns begin afresh, because their cause or cooldown has changed. */
  afresh: z.array(z.string()),
  /** Hosts to which nothing went before: item and host. */
  newAddresses: z.array(z.string()),
  /** Secrets that would be sent to a place for which they were not given: secret, kind and host. */
  newUses: z.array(z.string()),
  /** What becomes of the values by which cameras are watched, group by group and camera by camera. */
  watching: z.array(WatchingChange),
  findings: z.array(Finding),
});
export type Preview = z.infer<typeof Preview>;

export const RevisionReport = z.object({ number: z.number().int(), at: instant, by: z.string(), changed: z.array(z.string()) });
export type RevisionReport = z.infer<typeof RevisionReport>;

export const Accepted = z.object({ id: z.uuid(), number: z.number().int(), repeated: z.boolean() });
export type Accepted = z.infer<typeof Accepted>;

const page = <S extends z.ZodType>(item: S) => z.object({ items: z.array(item), next: z.string().optional() });

/** Parameters, query, body and answer of each address of `paths`. */
export const shapes = {
  health: {
    answer: z.object({ service: z.literal('well'), ledger: z.enum(['well', 'away']), version: z.string(), pid: z.number().int() }),
  },
  metrics: { answer: bytes },
  /** A program that signs in says its name, and gets a token instead of a cookie. */
  signIn: {
    body: z.strictObject({ name: Line, password: z.string().min(1).max(200), program: Line.max(100).optional() }),
    answer: Me.extend({ token: z.string().optional() }),
  },
  signOut: { answer: z.object({}) },
  recover: {
    body: z.strictObject({ key: z.string().min(20).max(100), name: Line.default('integrator') }),
    answer: z.object({ name: z.string(), password: z.string(), token: z.string() }),
  },
  me: { answer: Me },
  setPassword: { body: z.strictObject({ old: z.string().min(1).max(200), new: Password }), answer: z.object({}) },
  users: { answer: z.object({ items: z.array(UserReport) }) },
  addUser: {
    body: z.strictObject({ name: Line.max(100), role: z.enum(roles), password: Password.optional() }),
    answer: UserReport.extend({ password: z.string().optional() }),
  },
  setUser: {
    params: nameParams,
    body: z.strictObject({ role: z.enum(roles).optional(), password: Password.optional() }),
    answer: UserReport,
  },
  removeUser: { params: nameParams, answer: z.object({}) },
  tokens: { answer: z.object({ items: z.array(TokenReport) }) },
  issueToken: {
    body: z.strictObject({
      name: Line.max(100),
      permissions: z.array(z.enum(permissions)).min(1).optional(),
      /** The only site that it is good for; what is about the whole service is not for it then. */
      site: Key.optional(),
      /** When it ends; absent never. */
      days: z.number().int().min(1).max(3650).optional(),
    }),
    answer: TokenReport.extend({ token: z.string() }),
  },
  revokeToken: { params: z.object({ id: z.uuid() }), answer: z.object({}) },
  audit: {
    query: z.strictObject({ limit, before: z.coerce.number().int().min(1).optional() }),
    answer: z.object({ items: z.array(AuditLine), next: z.string().optional() }),
  },
  sites: { answer: z.object({ items: z.array(SiteSummary) }) },
  status: { params: siteParams, answer: Status },
  document: { params: siteParams, answer: bytes },
  check: { params: siteParams, body: bytes, answer: CheckReport },
  apply: { params: siteParams, body: bytes, answer: ApplyReport },
  preview: { params: siteParams, body: bytes, answer: Preview },
  revisions: { params: siteParams, query: z.strictObject({ limit }), answer: z.object({ items: z.array(RevisionReport) }) },
  revision: { params: z.object({ site: Key, number: z.coerce.number().int().min(1) }), answer: bytes },
  item: { params: itemOfSection, answer: z.record(z.string(), z.unknown()) },
  putItem: { params: itemOfSection, body: z.record(z.string(), z.unknown()), answer: ApplyReport },
  removeItem: { params: itemOfSection, answer: ApplyReport },
  unfinished: { params: siteParams, answer: CheckReport },
  restore: { params: z.object({ site: Key, number: z.coerce.number().int().min(1) }), answer: ApplyReport },
  cameras: { params: siteParams, answer: z.object({ items: z.array(CameraReport) }) },
  camera: {
    params: itemParams,
    answer: CameraReport.extend({
      group: z.string().optional(),
      watching: z.array(WatchingInForce),
      /** What the device can do beside pictures, where it has said so. */
      device: DeviceReport.optional(),
      /** Every kind of event that it can give, and when it gave it last. */
      seen: z.array(z.object({ kind: EventKindName, last: z.iso.datetime({ precision: 3 }).optional() })),
    }),
  },
  probe: { params: siteParams, body: ProbeRequest, answer: ProbeReport },
  found: { params: siteParams, answer: z.object({ items: z.array(FoundDevice) }) },
  paths: { params: siteParams, body: PathsRequest, answer: PathsReport },
  followCamera: { params: itemParams, answer: ApplyReport.extend({ url: z.string() }) },
  replay: { params: itemParams, body: ReplayRequest, answer: ReplayReport },
  suggest: { params: itemParams, body: z.strictObject({ seconds: z.number().int().min(10).max(3600).default(60) }), answer: SuggestReport },
  head: { params: itemParams, answer: HeadReport },
  steer: { params: itemParams, body: HeadCommand, answer: HeadReport },
  counters: { params: siteParams, answer: z.object({ items: z.array(CounterReport) }) },
  resetCounter: { params: z.object({ site: Key, camera: Key, mark: Key }), answer: CounterReport },
  cameraStill: { params: itemParams, answer: bytes },
  events: {
    params: siteParams,
    query: z.strictObject({
      limit,
      before: z.uuid().optional(),
      afterNumber: z.coerce.number().int().min(0).optional(),
      kind: EventKindName.optional(),
      source: Key.optional(),
      fired: z.stringbool().optional(),
      /** Only events that this rule fired on. */
      rule: Key.optional(),
      /** Accepted from this moment on, and before this one. */
      from: z.iso.datetime({ offset: true }).optional(),
      until: z.iso.datetime({ offset: true }).optional(),
    }),
    answer: page(EventRow),
  },
  sendEvents: {
    params: siteParams,
    body: oneOrMany(CloudEvent, 200),
    answer: z.object({ items: z.array(Accepted) }),
  },
  chain: { params: idParams, answer: Chain },
  rules: { params: siteParams, answer: z.object({ items: z.array(RuleReport) }) },
  tryRule: {
    params: itemParams,
    body: z
      .strictObject({ dry: z.boolean().default(false), regardless: z.boolean().default(false) })
      .default({ dry: false, regardless: false }),
    answer: TrialReport,
  },
  outputs: { params: siteParams, answer: z.object({ items: z.array(OutputReport) }) },
  testOutput: {
    params: itemParams,
    body: z.strictObject({ to: z.email().max(200).optional() }).default({}),
    answer: Delivery,
  },
  setOutput: {
    params: itemParams,
    body: LightValue.extend({ for: Duration.optional() }),
    answer: Delivery,
  },
  cancel: { params: idParams, answer: Delivery },
  sendAgain: { params: idParams, answer: Delivery },
  deliveries: {
    params: siteParams,
    query: z.strictObject({
      limit,
      before: z.uuid().optional(),
      state: DeliveryState.optional(),
      rule: Key.optional(),
      output: Key.or(z.literal('media')).optional(),
      recipient: z.string().max(200).optional(),
    }),
    answer: page(Delivery),
  },
  retry: { params: idParams, answer: Delivery },
  mode: { params: siteParams, answer: ModeReport },
  setMode: { params: siteParams, body: z.strictObject({ mode: Key }), answer: ModeReport },
  secrets: { params: siteParams, answer: z.object({ items: z.array(SecretReport) }) },
  setSecret: { params: itemParams, body: z.strictObject({ value: z.string().min(1).max(4000) }), answer: SecretReport },
  issueHook: { params: itemParams, answer: z.object({ address: z.string(), path: z.string() }) },
  revokeHook: { params: itemParams, answer: z.object({}) },
  sources: {
    params: siteParams,
    answer: z.object({ inputs: z.array(InputReport), hooks: z.array(HookReport), accounts: z.array(AccountReport) }),
  },
  issueAccount: { params: itemParams, answer: AccountReport.extend({ password: z.string() }) },
  revokeAccount: { params: itemParams, answer: z.object({}) },
  refused: { params: siteParams, query: z.strictObject({ limit }), answer: z.object({ items: z.array(RefusedArrival) }) },
  media: { params: idParams, answer: bytes },
  stream: { params: siteParams, answer: bytes },
  live: { params: siteParams, answer: bytes },
  hook: { params: z.object({ secret: z.string().max(100) }), body: bytes, answer: bytes },
} as const;

/** One message of the stream. `reset` says that what was missed is gone: read afresh. */
export const StreamMessage = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('event'), event: EventRow }),
  z.object({ kind: z.literal('firing'), firing: Firing }),
  z.object({ kind: z.literal('delivery'), delivery: Delivery }),
  z.object({ kind: z.literal('mode'), mode: z.string() }),
  z.object({ kind: z.literal('camera'), camera: CameraReport }),
  z.object({ kind: z.literal('revision'), revision: z.number().int() }),
  z.object({ kind: z.literal('reset') }),
]);
export type StreamMessage = z.infer<typeof StreamMessage>;

type Shapes = typeof shapes;
type Part<N extends keyof Shapes, P extends string> = Shapes[N] extends { [K in P]: infer S extends z.ZodType } ? S : never;
/** What a caller sends as the body, gives as the query and gets as the answer of an address. */
export type BodyOf<N extends keyof Shapes> = z.input<Part<N, 'body'>>;
export type QueryOf<N extends keyof Shapes> = z.input<Part<N, 'query'>>;
export type AnswerOf<N extends keyof Shapes> = z.output<Part<N, 'answer'>>;
