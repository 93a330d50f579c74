import { randomBytes } from 'node:crypto';
import { createConnection } from 'mariadb';

/** A database of its own for one test file, on the server that the run of all tests has started. */
export async function freshDatabase(): Promise<{ url: string; drop: () => Promise<void> }> {
  const admin = process.env.CAUSALIS_TEST_DATABASE;
  if (!admin) throw new Error('Run the tests with npm test: it starts their database.');
  const { hostname, port, username, password } = new URL(admin.replace(/^mariadb:/, 'http:'));
  const options = { host: hostname, port: Number(port), user: username, password };
  const name = `causalis_${randomBytes(6).toString('hex')}`;
  const run = async (statement: string) => {
    const connection = await createConnection(options);
    await connection.query(statement);
    await connection.end();
  };
  await run(`CREATE DATABASE ${name}`);
  return { url: `mariadb://${username}:${password}@${hostname}:${port}/${name}`, drop: () => run(`DROP DATABASE ${name}`) };
}

/** Asks a database directly, as somebody beside the service would. */
export async function ask<T = Record<string, unknown>>(url: string, statement: string, values: unknown[] = []): Promise<T[]> {
  const { hostname, port, username, password, pathname } = new URL(url.replace(/^mariadb:/, 'http:'));
  const connection = await createConnection({ host: hostname, port: Number(port), user: username, password, database: pathname.slice(1) });
  try {
    return (await connection.query(statement, values)) as T[];
  } finally {
    await connection.end();
  }
}
