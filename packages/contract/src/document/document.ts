import { z } from 'zod';
import { type Finding, findingsOf } from '../finding.js';
import { Key } from '../key.js';
import { Camera } from './camera.js';
import { Hook } from './hook.js';
import { isNotYet } from './not-yet.js';
import { Output } from './output.js';
import { Rule } from './rule.js';
import { Broker, Member, Schedule, Site } from './site.js';

/** The sections that hold keyed items, in the order in which a document is written. */
export const sections = ['brokers', 'members', 'schedules', 'cameras', 'hooks', 'outputs', 'rules'] as const;
export type Section = (typeof sections)[number];

/** The configuration of a site, what an integrator edits. */
export const SiteDocument = z.strictObject({
  causalis: z.literal(1),
  /** Written by an export; an apply refuses an outdated one. */
  revision: z.number().int().min(0).optional(),
  site: Site,
  brokers: z.record(Key, Broker).default({}),
  members: z.record(Key, Member).default({}),
  schedules: z.record(Key, Schedule).default({}),
  cameras: z.record(Key, Camera).default({}),
  hooks: z.record(Key, Hook).default({}),
  outputs: z.record(Key, Output).default({}),
  rules: z.record(Key, Rule).default({}),
});
export type SiteDocument = z.infer<typeof SiteDocument>;

/** A document by its shape, or all that is wrong with its shape at once. */
export function shapeDocument(input: unknown): { document: SiteDocument } | { findings: Finding[] } {
  const result = SiteDocument.safeParse(input);
  return result.success ? { document: result.data } : { findings: findingsOf(result.error, input, isNotYet) };
}
