import { readFileSync } from 'node:fs';
import { ProblemError } from '@causalis/client';
import type { Finding, Preview } from '@causalis/contract';
import { findingText, watchingText, whenText } from '@causalis/words';
import type { Command } from 'commander';
import { print, table } from '../print.js';
import { type CommonOptions, Complaint, connect, siteOf } from '../session.js';
import { at, verb } from './at-site.js';

/** What reads and checks a document; loaded only where it is needed, so that other commands answer sooner. */
const reading = async () => ({ ...(await import('@causalis/core')), ...(await import('@causalis/document')) });

/** A document's text from a file, or from the standard input for `-`. */
function readFileText(file: string): string {
  try {
    return readFileSync(file === '-' ? 0 : file, 'utf8');
  } catch (error) {
    throw new Complaint(`${file} cannot be read: ${(error as Error).message}`);
  }
}

const listed = (findings: readonly Finding[]): string =>
  findings.map((finding) => `${finding.level}: ${findingText(finding).line}`).join('\n');

function previewText({ added, changed, removed, renamed, afresh, newAddresses, newUses, watching, findings }: Preview): string {
  const lines = [
    ...added.map((path) => `+ ${path}`),
    ...changed.map(({ path, fields }) => `~ ${path}: ${fields.join(', ')}`),
    ...removed.map((path) => `- ${path}`),
    ...renamed.map(({ section, from, to }) => `${section}/${from} becomes ${section}/${to}: its identity and its state go on.`),
    ...watching.map(watchingText),
    ...afresh.map((key) => `The cooldowns of ${key} begin afresh.`),
    ...newAddresses.map((address) => `A new address: ${address}`),
    ...newUses.map((use) => `A secret would go to a new place, so it must be written again: ${use}`),
  ];
  return [...(lines.length > 0 ? lines : ['Nothing would change.']), ...(findings.length > 0 ? [listed(findings)] : [])].join('\n');
}

function counted(findings: readonly Finding[]): string {
  const of = (level: Finding['level']) => findings.filter((finding) => finding.level === level).length;
  return `${of('error')} errors, ${of('warning')} warnings, ${of('hint')} hints`;
}

/** `site check`, `preview`, `apply`, `export`, `history`, `restore` and `schema`. */
export function siteCommands(program: Command): void {
  const site = program
    .command('site')
    .description('the document of a site: check, preview, apply, export, history, restore, schema, unfinished');

  site
    .command('check <file>')
    .description('say all that is wrong with a document, without a service; - reads the standard input')
    .addHelpText('after', '\nExample:\n  causalis site check demo/quillmere.yaml')
    .action(async (file: string, _: unknown, command: Command) => {
      const { checkDocument, placeFindings, readDocument } = await reading();
      const options = command.optsWithGlobals<CommonOptions>();
      const text = readFileText(file);
      const read = readDocument(text);
      const findings = 'findings' in read ? read.findings : placeFindings(checkDocument(read.value), text);
      print(options, { findings }, () => [...(findings.length > 0 ? [listed(findings)] : []), `${file}: ${counted(findings)}`].join('\n'));
      if (findings.some(({ level }) => level === 'error')) process.exitCode = 1;
    });

  site
    .command('apply <file>')
    .description('put a document into force; a wrong one changes nothing')
    .addHelpText(
      'after',
      '\nThe document names the revision that it was made from (an export writes it), or\ngive --revision.\n\nExample:\n  causalis site export > garden.yaml\n  causalis site apply garden.yaml',
    )
    .option('--revision <number>', 'the revision that the document was made from')
    .action(async (file: string, { revision }: { revision?: string }, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const text = readFileText(file);
      const { readDocument } = await reading();
      const read = readDocument(text);
      if ('findings' in read) throw new Complaint(`${listed(read.findings)}\nNothing was changed.`);
      const key = read.value.site.key;
      try {
        const report = await connect().call('apply', {
          params: { site: key },
          body: text,
          ...(revision === undefined ? {} : { headers: { 'if-match': `"${revision}"` } }),
        });
        print(options, report, () =>
          [
            ...(report.findings.length > 0 ? [listed(report.findings)] : []),
            report.changed.length === 0
              ? `Nothing has changed; revision ${report.revision} stays.`
              : `Revision ${report.revision} is in force. Changed: ${report.changed.join(', ')}`,
          ].join('\n'),
        );
      } catch (error) {
        if (error instanceof ProblemError && error.problem.findings && !options.json)
          throw new Complaint(`${listed(error.problem.findings)}\nNothing was changed.`);
        throw error;
      }
    });

  site
    .command('preview <file>')
    .description('what a document would change, and what follows; changes nothing')
    .addHelpText('after', '\nExample:\n  causalis site preview garden.yaml')
    .action(async (file: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const client = connect();
      const { key } = await siteOf(client, options);
      const preview = await client.call('preview', { params: { site: key }, body: readFileText(file) });
      print(options, preview, () => previewText(preview));
    });

  site
    .command('history')
    .description('the revisions of the document, newest first')
    .addHelpText('after', '\nExample:\n  causalis site history')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const client = connect();
      const { key, timezone } = await siteOf(client, options);
      const { items } = await client.call('revisions', { params: { site: key } });
      print(options, { items }, () =>
        table(
          ['REVISION', 'WHEN', 'WHO', 'CHANGED'],
          items.map(({ number, at, by, changed }) => [String(number), whenText(at, timezone), by, changed.join(', ')]),
        ),
      );
    });

  site
    .command('restore <revision>')
    .description('put an earlier revision into force again, as the next one')
    .addHelpText('after', '\nExample:\n  causalis site restore 3')
    .action(async (number: string, _: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const client = connect();
      const { key, revision } = await siteOf(client, options);
      const report = await client.call('restore', { params: { site: key, number }, headers: { 'if-match': `"${revision}"` } });
      print(
        options,
        report,
        () => `Revision ${report.revision} is in force: as ${number} was. Changed: ${report.changed.join(', ') || 'nothing'}`,
      );
    });

  verb(site, 'unfinished', 'what of the site is not finished: one list', 'site unfinished').action(
    at(async ({ client, params, options }) => {
      const { findings } = await client.call('unfinished', { params });
      print(options, { findings }, () => (findings.length > 0 ? listed(findings) : 'Nothing is left to finish.'));
    }),
  );

  site
    .command('schema')
    .description('the language of documents as JSON Schema, for editors; needs no service')
    .addHelpText(
      'after',
      '\nExample:\n  causalis site schema > causalis.schema.json\n\nThen write as the first line of a document:\n  # yaml-language-server: $schema=causalis.schema.json',
    )
    .action(async () => {
      const { documentJsonSchema } = await import('@causalis/contract');
      process.stdout.write(`${JSON.stringify(documentJsonSchema(), null, 2)}\n`);
    });

  site
    .command('export')
    .description('write the whole document to the standard output, as YAML or with --json as JSON')
    .addHelpText('after', '\nExample:\n  causalis site export > garden.yaml')
    .action(async (_: unknown, command: Command) => {
      const options = command.optsWithGlobals<CommonOptions>();
      const client = connect();
      const { key } = await siteOf(client, options);
      const answer = await client.raw('document', {
        params: { site: key },
        headers: { accept: options.json ? 'application/json' : 'application/yaml' },
      });
      const text = await answer.text();
      process.stdout.write(options.json ? `${JSON.stringify(JSON.parse(text), null, 2)}\n` : text);
    });
}
