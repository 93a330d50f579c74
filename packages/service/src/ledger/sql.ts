import type { Connection } from 'mariadb';
import type { Model, ModelStatic, Transaction } from 'sequelize';
import { toBytes } from '../ids.js';

type Value = string | number | Buffer | null;

/** A statement holds no more rows than this: ten thousand firings at once stay far below what a server takes in one packet. */
export const rowsAtOnce = 500;

/**
 * Runs a statement on a transaction's own connection, with its values as the driver writes them. It is for what runs
 * with every commit: what the models do for each row costs more there than the database does. How many rows it changed.
 */
export async function run(transaction: Transaction, statement: string, values: readonly unknown[]): Promise<number> {
  const { connection } = transaction as unknown as { connection: Connection };
  const result = (await connection.query(statement, values.map(plain))) as { affectedRows?: number };
  return Number(result.affectedRows ?? 0);
}

/** A value as a column takes it: times in UTC with milliseconds, structures as JSON. */
function plain(value: unknown): Value | Value[] {
  if (value === null || value === undefined) return null;
  if (typeof value === 'string' || typeof value === 'number' || Buffer.isBuffer(value)) return value;
  if (typeof value === 'boolean') return value ? 1 : 0;
  if (value instanceof Date) return value.toISOString().slice(0, 23).replace('T', ' ');
  return JSON.stringify(value);
}

const idColumns = new WeakMap<ModelStatic<Model>, ReadonlySet<string>>();
/** The columns of a table that hold ids. */
function idsOf(table: ModelStatic<Model>): ReadonlySet<string> {
  let ids = idColumns.get(table);
  if (!ids) {
    const columns = Object.entries(table.getAttributes());
    ids = new Set(columns.flatMap(([name, { type }]) => (String(type) === 'BINARY(16)' ? [name] : [])));
    idColumns.set(table, ids);
  }
  return ids;
}

/**
 * Writes rows of the same fields, some hundred a statement: others get their turn in between. Of rows that are there
 * already the named fields change, or nothing where `known` is ignored.
 */
export async function putRows(
  table: ModelStatic<Model>,
  rows: readonly Record<string, unknown>[],
  transaction: Transaction,
  known: readonly string[] | 'ignored' = [],
): Promise<void> {
  if (rows.length === 0) return;
  const ids = idsOf(table);
  const names = Object.keys(rows[0]);
  const columns = names.map((name) => `\`${name}\``).join(', ');
  const place = `(${names.map(() => '?').join(',')})`;
  const insert = known === 'ignored' ? 'INSERT IGNORE' : 'INSERT';
  const change =
    Array.isArray(known) && known.length > 0
      ? ` ON DUPLICATE KEY UPDATE ${known.map((name) => `\`${name}\` = VALUES(\`${name}\`)`).join(', ')}`
      : '';
  for (let at = 0; at < rows.length; at += rowsAtOnce) {
    const some = rows.slice(at, at + rowsAtOnce);
    await run(
      transaction,
      `${insert} INTO \`${table.getTableName() as string}\` (${columns}) VALUES ${some.map(() => place).join(',')}${change}`,
      some.flatMap((row) =>
        names.map((name) => {
          const value = row[name];
          return typeof value === 'string' && ids.has(name) ? toBytes(value) : value;
        }),
      ),
    );
  }
}
