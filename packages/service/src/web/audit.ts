import type { Me } from '@causalis/contract';
import type { Clock } from '../clock.js';
import type { Database } from '../ledger/database.js';
import { writeAudit } from '../ledger/people.js';

/** Who asks, and from where. */
export interface Asker {
  readonly me: Me;
  readonly request: { readonly ip: string };
}

/** Writes one line of the audit; without a site it is about the whole service. */
export type Audit = (asker: Asker, site: { readonly id: number } | undefined, what: string, detail: unknown) => Promise<void>;

export const makeAudit =
  (database: Database, clock: Clock): Audit =>
  ({ me, request }, site, what, detail) =>
    writeAudit(database, { at: new Date(clock.wall()), site: site?.id ?? null, by: me.name, address: request.ip, what, detail });
