import { z } from 'zod';
import { Chain, Delivery, DeliveryState, Firing, Verdict } from '../chain.js';
import { Rule } from '../document/rule.js';
import { CloudEvent, EventKind, SiteEvent } from '../event.js';
import { Finding } from '../finding.js';
import { Key, Line } from '../key.js';
import { CameraState, DrawnMark } from '../live.js';
import { oneOrMany } from '../units.js';
import { permissions, roles } from './paths.js';

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
});
export type RuleReport = z.infer<typeof RuleReport>;

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
  /** Rules whose cooldowns begin afresh, because their cause or cooldown has changed. */
  afresh: z.array(z.string()),
  /** Secrets that would be sent to a place for which they were not given: secret, kind and host. */
  newUses: z.array(z.string()),
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
  signIn: { body: z.strictObject({ name: Line, password: z.string().min(1).max(200) }), answer: Me },
  signOut: { answer: z.object({}) },
  me: { answer: Me },
  sites: { answer: z.object({ items: z.array(SiteSummary) }) },
  status: { params: siteParams, answer: Status },
  document: { params: siteParams, answer: bytes },
  check: { params: siteParams, body: bytes, answer: CheckReport },
  apply: { params: siteParams, body: bytes, answer: ApplyReport },
  preview: { params: siteParams, body: bytes, answer: Preview },
  revisions: { params: siteParams, query: z.strictObject({ limit }), answer: z.object({ items: z.array(RevisionReport) }) },
  restore: { params: z.object({ site: Key, number: z.coerce.number().int().min(1) }), answer: ApplyReport },
  cameras: { params: siteParams, answer: z.object({ items: z.array(CameraReport) }) },
  cameraStill: { params: itemParams, answer: bytes },
  events: {
    params: siteParams,
    query: z.strictObject({
      limit,
      before: z.uuid().optional(),
      afterNumber: z.coerce.number().int().min(0).optional(),
      kind: EventKind.optional(),
      source: Key.optional(),
      fired: z.stringbool().optional(),
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
  deliveries: {
    params: siteParams,
    query: z.strictObject({ limit, before: z.uuid().optional(), state: DeliveryState.optional(), rule: Key.optional() }),
    answer: page(Delivery),
  },
  retry: { params: idParams, answer: Delivery },
  mode: { params: siteParams, answer: ModeReport },
  setMode: { params: siteParams, body: z.strictObject({ mode: Key }), answer: ModeReport },
  secrets: { params: siteParams, answer: z.object({ items: z.array(SecretReport) }) },
  setSecret: { params: itemParams, body: z.strictObject({ value: z.string().min(1).max(4000) }), answer: SecretReport },
  issueHook: { params: itemParams, answer: z.object({ address: z.string(), path: z.string() }) },
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
