import type { CausalisClient } from '@causalis/client';
import type { SiteSummary } from '@causalis/contract';
import type { Command } from 'commander';
import { type CommonOptions, connect, siteOf } from '../session.js';

/** What a command at a site has in hand; `params` for calls that want only the site. */
export interface AtSite {
  readonly client: CausalisClient;
  readonly site: SiteSummary;
  readonly params: { readonly site: string };
  readonly options: CommonOptions & Readonly<Record<string, string | undefined>>;
}

/** Ties an action of a command to the site that it is about: its arguments follow. */
export const at =
  <A extends unknown[]>(job: (hand: AtSite, ...args: A) => Promise<void>) =>
  async (...given: unknown[]): Promise<void> => {
    const command = given.at(-1) as Command;
    const options = command.optsWithGlobals<AtSite['options']>();
    const client = connect();
    const site = await siteOf(client, options);
    await job({ client, site, params: { site: site.key }, options }, ...(given.slice(0, -2) as A));
  };

/** The same for commands that are about the whole service. */
export const atService =
  <A extends unknown[]>(job: (hand: Pick<AtSite, 'client' | 'options'>, ...args: A) => Promise<void>) =>
  async (...given: unknown[]): Promise<void> => {
    const command = given.at(-1) as Command;
    await job({ client: connect(), options: command.optsWithGlobals<AtSite['options']>() }, ...(given.slice(0, -2) as A));
  };

/** A command of a noun with its description and an example that teaches it. */
export const verb = (noun: Command, usage: string, about: string, ...examples: string[]): Command =>
  noun
    .command(usage)
    .description(about)
    .addHelpText('after', `\nExample${examples.length > 1 ? 's' : ''}:\n${examples.map((line) => `  causalis ${line}`).join('\n')}`);
