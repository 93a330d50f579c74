import type { QueryInterface } from 'sequelize';

/** Tables that grow with every event, and what their parts are cut by. */
const growing = {
  entries: 'wall',
  events: 'id',
  firings: 'id',
  deliveries: 'id',
  attempts: 'delivery',
  receipts: 'delivery',
  media: 'id',
} as const;

const statements = [
  `CREATE TABLE leases (
    site INT UNSIGNED NOT NULL PRIMARY KEY,
    holder JSON NOT NULL COMMENT 'which process works for the site',
    epoch BIGINT UNSIGNED NOT NULL COMMENT 'one more with each holder: who has an older one writes nothing',
    until DATETIME(3) NOT NULL COMMENT 'by the clock of this server',
    number BIGINT UNSIGNED NOT NULL COMMENT 'the last one that the site has given to an entry') ENGINE=InnoDB`,
  `INSERT INTO leases SELECT id, '{}', 0, '2000-01-01', COALESCE((SELECT MAX(number) FROM entries WHERE entries.site = sites.id), 0) FROM sites`,
  `CREATE TABLE queue (
    site INT UNSIGNED NOT NULL,
    delivery BINARY(16) NOT NULL,
    output VARCHAR(63) CHARACTER SET ascii NOT NULL,
    lane TINYINT UNSIGNED NOT NULL COMMENT '0 urgent, 1 important, 2 routine',
    due DATETIME(3) NOT NULL COMMENT 'steady',
    PRIMARY KEY (site, delivery),
    KEY by_due (site, output, lane, due)) ENGINE=InnoDB`,
  `INSERT INTO queue SELECT site, id, output, lane, due FROM deliveries WHERE due IS NOT NULL AND state IN ('waiting', 'retrying')`,
  'ALTER TABLE deliveries DROP KEY due_lane',
  `ALTER TABLE firings
    ADD kind VARCHAR(40) CHARACTER SET ascii NOT NULL DEFAULT '' COMMENT 'of its event',
    ADD source VARCHAR(63) CHARACTER SET ascii NOT NULL DEFAULT '' COMMENT 'of its event'`,
  `UPDATE firings JOIN events ON events.site = firings.site AND events.id = firings.event
    SET firings.kind = events.kind, firings.source = events.source`,
  `ALTER TABLE firings
    ADD KEY by_rule_event (site, rule, event),
    ADD KEY by_rule_kind (site, rule, kind, event),
    ADD KEY by_rule_source (site, rule, source, event)`,
  'ALTER TABLE events ADD KEY by_source_kind (site, source, kind, id)',
  'ALTER TABLE passes ADD site INT UNSIGNED NULL COMMENT "the only one that it is good for"',
  'ALTER TABLE entries DROP PRIMARY KEY, ADD PRIMARY KEY (site, number, wall)',
  ...Object.entries(growing).map(
    ([table, by]) => `ALTER TABLE ${table} PARTITION BY RANGE COLUMNS(${by}) (PARTITION rest VALUES LESS THAN (MAXVALUE))`,
  ),
];

/** What trust in a site that nobody is at needs: one holder a site, a queue of its own for what is due, days that can be dropped. */
export const trust = {
  name: '003-trust',
  up: async ({ context }: { context: QueryInterface }) => {
    for (const statement of statements) await context.sequelize.query(statement);
  },
};
