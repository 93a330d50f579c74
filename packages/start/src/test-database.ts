import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { startDatabase } from './database.js';

/** A database server for one run of the tests; its user may make databases, so that each test file has its own. */
export async function startTestDatabase(): Promise<{ adminUrl: string; stop(): Promise<void> }> {
  const home = await mkdtemp(path.join(tmpdir(), 'causalis-test-'));
  const database = await startDatabase(home);
  await database.administer(["GRANT ALL ON *.* TO 'causalis'@'127.0.0.1'"]);
  return {
    adminUrl: database.url,
    async stop() {
      await database.stop();
      await rm(home, { recursive: true, force: true });
    },
  };
}
