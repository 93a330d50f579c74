import path from 'node:path';
import { writeWhole } from './files.js';
import { newSecret } from './web/access.js';

/**
 * A key in the data folder, another at each start: whoever can read it is at home on this machine, and may have a
 * forgotten password made anew.
 */
export async function writeLocalKey(home: string): Promise<string> {
  const key = newSecret();
  await writeWhole(path.join(home, 'local.key'), key);
  return key;
}
