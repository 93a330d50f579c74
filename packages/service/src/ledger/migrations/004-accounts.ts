import type { QueryInterface } from 'sequelize';

const statements = [
  `CREATE TABLE account_passwords (
    site INT UNSIGNED NOT NULL,
    account VARCHAR(63) CHARACTER SET ascii NOT NULL,
    digest BINARY(32) NOT NULL,
    at DATETIME(3) NOT NULL COMMENT 'when it was issued',
    last DATETIME(3) NULL COMMENT 'when something last arrived over it',
    PRIMARY KEY (site, account)) ENGINE=InnoDB`,
];

/** Accounts for cameras that can only send: their passwords, never in the clear. */
export const accounts = {
  name: '004-accounts',
  up: async ({ context }: { context: QueryInterface }) => {
    for (const statement of statements) await context.sequelize.query(statement);
  },
};
