import { type Connection, createConnection } from 'mariadb';

/** Asks a database directly; numbers come as numbers. */
export async function withDatabase<T>(url: string, work: (connection: Connection) => Promise<T>): Promise<T> {
  const { hostname, port, username, password, pathname } = new URL(url.replace(/^mariadb:/, 'http:'));
  const connection = await createConnection({
    host: hostname,
    port: Number(port),
    user: username,
    password,
    database: pathname.slice(1),
    timezone: 'Z',
    bigIntAsNumber: true,
    insertIdAsNumber: true,
    decimalAsNumber: true,
  });
  try {
    return await work(connection);
  } finally {
    await connection.end();
  }
}
