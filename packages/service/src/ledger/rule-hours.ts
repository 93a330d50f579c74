import { heldReason } from '@causalis/words';
import { QueryTypes, type Transaction } from 'sequelize';
import type { Database } from './database.js';
import { rowsAtOnce, run } from './sql.js';
import type { Stepped } from './stepped.js';

const hourMs = 3_600_000;

/** Counts what each rule made of the events of a batch, by hour and reason. Tests are left out of all counts. */
export async function countVerdicts(site: number, batch: readonly Stepped[], transaction: Transaction): Promise<void> {
  const times = new Map<string, { rule: string; hour: Date; reason: string; times: number }>();
  for (const { result, now } of batch) {
    const hour = Math.floor(now.wall / hourMs) * hourMs;
    for (const { event, verdicts } of result.events) {
      if (event.test) continue;
      for (const verdict of verdicts) {
        const reason = heldReason(verdict) ?? 'fired';
        const name = `${verdict.rule} ${hour} ${reason}`;
        const known = times.get(name);
        if (known) known.times++;
        else times.set(name, { rule: verdict.rule, hour: new Date(hour), reason, times: 1 });
      }
    }
  }
  // In one order always, so that two writers never wait for each other crosswise.
  const rows = [...times.values()].sort((a, b) => (a.rule < b.rule ? -1 : a.rule > b.rule ? 1 : a.reason < b.reason ? -1 : 1));
  for (let at = 0; at < rows.length; at += rowsAtOnce) {
    const some = rows.slice(at, at + rowsAtOnce);
    await run(
      transaction,
      `INSERT INTO rule_hours (site, rule, hour, reason, times) VALUES ${some.map(() => '(?,?,?,?,?)').join(',')}
       ON DUPLICATE KEY UPDATE times = times + VALUES(times)`,
      some.flatMap((row) => [site, row.rule, row.hour, row.reason, row.times]),
    );
  }
}

/** How often each rule fired and was held, and by what, since a moment: whole hours. */
export async function readRuleHours({ sequelize }: Database, site: number, since: Date): Promise<Map<string, Record<string, number>>> {
  const rows = await sequelize.query<{ rule: string; reason: string; times: string | number }>(
    'SELECT rule, reason, SUM(times) AS times FROM rule_hours WHERE site = ? AND hour >= ? GROUP BY rule, reason',
    { replacements: [site, new Date(Math.floor(since.getTime() / hourMs) * hourMs)], type: QueryTypes.SELECT },
  );
  const byRule = new Map<string, Record<string, number>>();
  for (const { rule, reason, times } of rows) byRule.set(rule, { ...byRule.get(rule), [reason]: Number(times) });
  return byRule;
}
