import { z } from 'zod';
import { type Finding, findingsOf } from '../finding.js';
import { Key } from '../key.js';
import { Account } from './account.js';
import { Camera, Group, Recogniser } from './camera.js';
import { Hook } from './hook.js';
import { Input } from './input.js';
import { isNotYet } from './not-yet.js';
import { Output } from './outputs/registry.js';
import { Rule } from './rule.js';
import { Broker, Member, Schedule, Site } from './site.js';
import { documentVersion, upgradeDocument } from './upgrade.js';

/** The sections that hold keyed items, in the order in which a document is written. */
export const sections = [
  'brokers',
  'members',
  'schedules',
  'groups',
  'recognisers',
  'cameras',
  'inputs',
  'hooks',
  'accounts',
  'outputs',
  'rules',
] as const;
export type Section = (typeof sections)[number];

function refuseNewer(version: number, ctx: z.RefinementCtx): void {
  if (version !== documentVersion)
    ctx.addIssue({ code: 'custom', params: { code: 'newer-document', values: { value: version, most: documentVersion } } });
}

/** The configuration of a site, what an integrator edits. */
export const SiteDocument = z.strictObject({
  causalis: z.number().int().superRefine(refuseNewer),
  /** Written by an export; an apply refuses an outdated one. */
  revision: z.number().int().min(0).optional(),
  site: Site,
  brokers: z.record(Key, Broker).default({}),
  members: z.record(Key, Member).default({}),
  schedules: z.record(Key, Schedule).default({}),
  groups: z.record(Key, Group).default({}),
  recognisers: z.record(Key, Recogniser).default({}),
  cameras: z.record(Key, Camera).default({}),
  inputs: z.record(Key, Input).default({}),
  hooks: z.record(Key, Hook).default({}),
  accounts: z.record(Key, Account).default({}),
  outputs: z.record(Key, Output).default({}),
  rules: z.record(Key, Rule).default({}),
});
export type SiteDocument = z.infer<typeof SiteDocument>;

/** A document by its shape, or all that is wrong with its shape at once. */
export function shapeDocument(written: unknown): { document: SiteDocument } | { findings: Finding[] } {
  const input = upgradeDocument(written);
  const result = SiteDocument.safeParse(input);
  return result.success ? { document: result.data } : { findings: findingsOf(result.error, input, SiteDocument, isNotYet) };
}
