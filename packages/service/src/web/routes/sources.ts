import { type AccountReport, accountUser, type InputReport } from '@causalis/contract';
import { stateKeys } from '@causalis/core';
import { inputFrom } from '../../intake/inputs.js';
import { lastOfSources } from '../../ledger/events.js';
import {
  type AccountPassword,
  accountPassword,
  accountPasswords,
  dropAccountPassword,
  dropHookAddress,
  hookAddresses,
  listRefused,
  writeAccountPassword,
  writeHookAddress,
} from '../../ledger/secrets.js';
import { unknownItem } from '../../problem.js';
import type { SiteRuntime } from '../../site.js';
import { newSecret, typedSecret } from '../access.js';
import type { Audit } from '../audit.js';
import type { Handlers, WebParts } from './context.js';

const iso = (at: Date): string => at.toISOString();

/** What reports to a site beside its cameras' pictures: inputs, hooks, and accounts for cameras that can only send. */
export const sourceRoutes = ({ database, clock, arrivals }: WebParts, audit: Audit): Handlers => {
  const accountReport = (site: SiteRuntime, key: string, known: AccountPassword | undefined): AccountReport => {
    const account = site.document.accounts[key];
    return {
      key,
      kind: account.kind,
      camera: account.camera,
      user: accountUser(site.key, key),
      ...arrivals.where(account.kind),
      ...(account.kind === 'upload' ? { folder: account.folder } : {}),
      ...(known ? { issued: iso(known.at) } : {}),
      ...(known?.last ? { last: iso(known.last) } : {}),
    };
  };
  return {
    sources: async ({ site }) => {
      const { inputs, hooks, accounts } = site.document;
      const [last, issued, passwords] = await Promise.all([
        lastOfSources(database, site.id, 'input.changed', Object.keys(inputs)),
        hookAddresses(database, site.id),
        accountPasswords(database, site.id),
      ]);
      return {
        inputs: Object.entries(inputs).map(([key, input]): InputReport => {
          const state = site.engine.read(stateKeys.input(key));
          const reading = state?.reading ?? (state?.number === undefined ? undefined : `${state.number} ${input.number ?? ''}`.trim());
          const at = last.get(key);
          return {
            key,
            from: inputFrom(input),
            ...(reading === undefined ? {} : { reading }),
            ...(at ? { last: at } : {}),
          };
        }),
        hooks: Object.keys(hooks).map((key) => {
          const at = issued.get(key);
          const lastCall = site.calls.of(key);
          return { key, ...(at ? { issued: iso(at) } : {}), ...(lastCall ? { lastCall } : {}) };
        }),
        accounts: Object.keys(accounts).map((key) => accountReport(site, key, passwords.get(key))),
      };
    },
    issueAccount: async ({ site, params, me, request }) => {
      accountOf(site, params.key);
      const password = typedSecret();
      await writeAccountPassword(database, site.id, params.key, password, new Date(clock.wall()));
      await audit({ me, request }, site, 'account.issued', { account: params.key });
      return { ...accountReport(site, params.key, await accountPassword(database, site.id, params.key)), password };
    },
    revokeAccount: async ({ site, params, me, request }) => {
      accountOf(site, params.key);
      await dropAccountPassword(database, site.id, params.key);
      await audit({ me, request }, site, 'account.revoked', { account: params.key });
      return {};
    },
    issueHook: async ({ site, params, me, request }) => {
      hookOf(site, params.key);
      const secret = newSecret();
      await writeHookAddress(database, site.id, params.key, secret, new Date(clock.wall()));
      await audit({ me, request }, site, 'hook.issued', { hook: params.key });
      const path = `/in/${secret}`;
      return {
        path,
        address: `${site.document.site.addresses?.inside?.replace(/\/$/, '') ?? `${request.protocol}://${request.headers.host}`}${path}`,
      };
    },
    revokeHook: async ({ site, params, me, request }) => {
      hookOf(site, params.key);
      await dropHookAddress(database, site.id, params.key);
      await audit({ me, request }, site, 'hook.revoked', { hook: params.key });
      return {};
    },
    refused: async ({ site, query }) => ({ items: await listRefused(database, site.id, query.limit) }),
  };
};

function hookOf(site: SiteRuntime, key: string): void {
  const { hooks } = site.document;
  if (!Object.hasOwn(hooks, key)) throw unknownItem('hook', key, Object.keys(hooks));
}

function accountOf(site: SiteRuntime, key: string): void {
  const { accounts } = site.document;
  if (!Object.hasOwn(accounts, key)) throw unknownItem('account', key, Object.keys(accounts));
}
