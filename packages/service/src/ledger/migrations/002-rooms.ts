import type { QueryInterface } from 'sequelize';

const statements = [
  `ALTER TABLE attempts ADD steps JSON NULL COMMENT 'the steps of the way, with their times'`,
  `ALTER TABLE deliveries
    ADD again BINARY(16) NULL COMMENT 'the delivery that this one sends again',
    ADD KEY by_output (site, output, state, id),
    ADD KEY by_recipient (site, recipient, id)`,
  `ALTER TABLE firings
    ADD steady DATETIME(3) NULL COMMENT 'when it fired, for those who wait in it',
    ADD mode VARCHAR(63) CHARACTER SET ascii NULL`,
  `ALTER TABLE passes
    ADD id BINARY(16) NULL,
    ADD permissions JSON NULL COMMENT 'when it may less than its user',
    ADD KEY by_user (user)`,
  `UPDATE passes SET id = RANDOM_BYTES(16)`,
  `CREATE TABLE rule_hours (
    site INT UNSIGNED NOT NULL,
    rule VARCHAR(63) CHARACTER SET ascii NOT NULL,
    hour DATETIME NOT NULL COMMENT 'its beginning',
    reason VARCHAR(40) CHARACTER SET ascii NOT NULL COMMENT 'fired, or what held it',
    times INT UNSIGNED NOT NULL,
    PRIMARY KEY (site, hour, rule, reason)) ENGINE=InnoDB`,
];

/** What the rooms need that the first slice had not: steps of attempts, sending again, counts by rule and hour, tokens with an id. */
export const rooms = {
  name: '002-rooms',
  up: async ({ context }: { context: QueryInterface }) => {
    for (const statement of statements) await context.sequelize.query(statement);
  },
};
