import type { ProblemCode } from '@causalis/contract';
import { fill } from './fill.js';

/** Title and sentence with the mend, for each error that the service answers. */
export const problemTexts: Readonly<Record<ProblemCode, readonly [title: string, detail: string]>> = {
  'not-signed-in': ['Not signed in', 'Sign in at the console, or run causalis login.'],
  'wrong-password': ['Name or password is wrong', 'Type both again; after several tries wait a minute.'],
  'not-permitted': ['Not permitted', 'This needs the permission to {permission}; ask an integrator of the site.'],
  'foreign-origin': ['Refused because it came from another page', 'Changes are only taken from the console itself or with a token.'],
  'unknown-host': ['Unknown host', 'The service does not answer under the name {host}; add it to the site’s addresses.'],
  'not-found': ['Not found', 'There is nothing at this address.'],
  'unknown-site': ['Unknown site', 'There is no site {site} here.'],
  'unknown-item': ['Unknown item', 'There is no {what} {key} at this site.'],
  'unknown-mode': ['Unknown mode', 'The site has no mode {mode}. Known: {known}.'],
  'unknown-delivery': ['Unknown delivery', 'There is no delivery {id}.'],
  'wrong-method': ['Wrong method', 'This address does not take {method}.'],
  'not-retryable': ['Cannot be tried again', 'The delivery is {state}; only one that waits, retries, failed or expired can be tried.'],
  'no-picture-yet': ['No picture yet', 'The camera {key} has not given a picture since the service started.'],
  'revision-outdated': [
    'Made from an outdated revision',
    'The site is at revision {current}, the document was made from {given}. Export it again and repeat the change.',
  ],
  'body-too-large': ['Too large', 'The body is larger than this address takes ({most} bytes).'],
  'wrong-media-type': ['Wrong media type', 'Send {expected}.'],
  'body-refused': ['The body is not accepted', '{first}'],
  'document-refused': ['The document is not accepted', 'Nothing was changed. {count} to mend; the first: {first}'],
  'secret-unused': [
    'Nothing uses this secret',
    'No item of the document names the secret {key}; apply the document that uses it first, so that it can be bound to where it goes.',
  ],
  'revision-missing': [
    'Revision missing',
    'Say which revision the document was made from: its own revision: line, or If-Match. The site is at revision {current}.',
  ],
  'too-many-tries': ['Too many tries', 'Wait a minute, then try again.'],
  'went-wrong': [
    'Something went wrong in Causalis',
    'It is in the log under {id}. What you sent changed nothing unless the page shows it.',
  ],
  'ledger-away': [
    'The ledger is away',
    'The database does not answer, so nothing new is accepted. Send it again; Causalis goes on by itself when it is back.',
  ],
  starting: ['Still starting', 'Try again in a few seconds.'],
};

/** A problem in words. */
export function problemText(code: ProblemCode, values: Readonly<Record<string, string | number>> = {}): { title: string; detail: string } {
  const [title, detail] = problemTexts[code];
  return { title, detail: fill(detail, values) };
}
