import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import { Complaint } from './session.js';

/** A secret from the keyboard, without showing it, or the first line of the standard input. */
export async function readSecretValue(key: string): Promise<string> {
  const typed = process.stdin.isTTY === true;
  if (typed) process.stderr.write(`Value of ${key}: `);
  const hidden = new Writable({ write: (_, __, done) => done() });
  const lines = createInterface({ input: process.stdin, output: hidden, terminal: typed });
  try {
    for await (const line of lines) {
      if (line === '') break;
      if (typed) process.stderr.write('\n');
      return line;
    }
  } finally {
    lines.close();
  }
  throw new Complaint('No value was given. Type it, or send it to the standard input.', 2);
}
