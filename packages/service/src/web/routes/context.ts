import type { AnswerOf, Me, PathName, shapes } from '@causalis/contract';
import type { FastifyReply, FastifyRequest } from 'fastify';
import type { z } from 'zod';
import type { Clock } from '../../clock.js';
import type { Figures } from '../../figures.js';
import type { Arrivals } from '../../intake/accounts/arrivals.js';
import type { Database } from '../../ledger/database.js';
import type { SiteRuntime } from '../../site.js';
import type { Sites } from '../../sites.js';
import type { Access } from '../access.js';

/** What routes share. */
export interface WebParts {
  readonly database: Database;
  readonly clock: Clock;
  readonly sites: Sites;
  readonly access: Access;
  readonly figures: Figures;
  readonly arrivals: Arrivals;
  readonly version: string;
  readonly started: Date;
  /** Whoever can read this key in the data folder may have a password made anew. */
  readonly localKey: string;
  /** The password of the first start is not that of this user any more: the file that holds it goes. */
  readonly forgetFirstSignIn: (user: string) => Promise<void>;
  readonly ledgerAnswers: () => Promise<boolean>;
}

type Part<N extends PathName, P extends string> = (typeof shapes)[N] extends { [K in P]: infer S extends z.ZodType }
  ? z.output<S>
  : undefined;

/** One request, parsed, with who asks and at which site. */
export interface Asked<N extends PathName> {
  readonly params: Part<N, 'params'>;
  readonly query: Part<N, 'query'>;
  readonly body: Part<N, 'body'>;
  readonly me: Me;
  readonly site: SiteRuntime;
  readonly request: FastifyRequest;
  readonly reply: FastifyReply;
}

/** A route: what was asked in, the answer out. */
export type Handler<N extends PathName> = (asked: Asked<N>) => Promise<AnswerOf<N>> | AnswerOf<N>;
export type Handlers = { readonly [N in PathName]?: Handler<N> };
