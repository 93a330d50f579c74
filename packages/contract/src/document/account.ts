import { z } from 'zod';
import { refuse } from '../finding.js';
import { Key, Line, Was } from '../key.js';

/** A folder of an account: a path from its root, of plain names. */
const Folder = z
  .string()
  .superRefine(refuse('bad-folder', (text) => /^(\/|(\/[\w][\w. -]{0,60}){1,6})$/.test(text) && !text.includes('..')));

const shared = {
  was: Was,
  /** Whose pictures arrive over it. */
  camera: Key,
  note: Line.optional(),
};

/** An account of ours for a camera that can only send: it signs in with its key and a password that is issued once. */
export const Account = z.discriminatedUnion('kind', [
  /** It uploads pictures (FTP, RFC 959): into this folder, or below it. */
  z.strictObject({ kind: z.literal('upload'), ...shared, folder: Folder.default('/') }),
  /** It sends mail (SMTP with a login, RFC 4954), with pictures or without. */
  z.strictObject({ kind: z.literal('mail'), ...shared }),
]);
export type Account = z.infer<typeof Account>;

/** The name under which a camera signs in: unique among all sites of a service. */
export const accountUser = (site: string, account: string): string => `${site}.${account}`;
