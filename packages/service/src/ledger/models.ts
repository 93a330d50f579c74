import { DataTypes, type Model, type ModelStatic, type Sequelize } from 'sequelize';
import { fromBytes, toBytes } from '../ids.js';

type Rows = ModelStatic<Model>;

const uuid = (name: string, primaryKey = false) => ({
  type: 'BINARY(16)',
  primaryKey,
  get(this: Model) {
    const bytes = this.getDataValue(name);
    return bytes ? fromBytes(bytes) : undefined;
  },
  set(this: Model, id: string | null | undefined) {
    this.setDataValue(name, id ? toBytes(id) : null);
  },
});
const key = { type: DataTypes.INTEGER, primaryKey: true };
const text = DataTypes.STRING;
const time = DataTypes.DATE(3);
const json = (name: string) => ({
  type: DataTypes.JSON,
  get(this: Model) {
    const value = this.getDataValue(name);
    return typeof value === 'string' ? JSON.parse(value) : value;
  },
});
const flag = DataTypes.BOOLEAN;
const digest = { type: 'BINARY(32)', primaryKey: true };

/** The tables as Sequelize sees them; the migrations make them. */
export function defineModels(sequelize: Sequelize) {
  return {
    sites: sequelize.define('sites', {
      id: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
      key: text,
      revision: DataTypes.INTEGER,
      head: json('head'),
      created: time,
    }) as Rows,
    leases: sequelize.define('leases', {
      site: key,
      holder: json('holder'),
      epoch: DataTypes.BIGINT,
      until: time,
      number: DataTypes.BIGINT,
    }) as Rows,
    queue: sequelize.define('queue', {
      site: key,
      delivery: uuid('delivery', true),
      output: text,
      lane: DataTypes.TINYINT,
      due: time,
    }) as Rows,
    items: sequelize.define('items', {
      site: key,
      section: { type: text, primaryKey: true },
      key: { type: text, primaryKey: true },
      id: uuid('id'),
      body: json('body'),
      inner_ids: json('inner_ids'),
      place: DataTypes.INTEGER,
    }) as Rows,
    revisions: sequelize.define('revisions', {
      site: key,
      number: { type: DataTypes.INTEGER, primaryKey: true },
      at: time,
      by_whom: text,
      changes: json('changes'),
    }) as Rows,
    entries: sequelize.define('entries', {
      site: key,
      number: { type: DataTypes.BIGINT, primaryKey: true },
      kind: text,
      wall: time,
      steady: time,
      body: json('body'),
    }) as Rows,
    accepted: sequelize.define('accepted', { site: key, digest, event: uuid('event'), number: DataTypes.BIGINT, at: time }) as Rows,
    events: sequelize.define('events', {
      site: key,
      id: uuid('id', true),
      number: DataTypes.BIGINT,
      revision: DataTypes.INTEGER,
      kind: text,
      section: text,
      source: text,
      mark: text,
      span: uuid('span'),
      time,
      seen: time,
      accepted: time,
      data: json('data'),
      verdicts: json('verdicts'),
      fired: flag,
      still: uuid('still'),
      depth: DataTypes.TINYINT,
      test: flag,
    }) as Rows,
    firings: sequelize.define('firings', {
      site: key,
      id: uuid('id', true),
      event: uuid('event'),
      kind: text,
      source: text,
      rule: text,
      title: text,
      priority: text,
      at: time,
      test: flag,
      actions: json('actions'),
      steady: time,
      mode: text,
    }) as Rows,
    deliveries: sequelize.define('deliveries', {
      site: key,
      id: uuid('id', true),
      firing: uuid('firing'),
      event: uuid('event'),
      rule: text,
      action: text,
      output: text,
      recipient: text,
      state: text,
      lane: DataTypes.TINYINT,
      due: time,
      taken_by: uuid('taken_by'),
      created: time,
      expires: time,
      ended: time,
      back: flag,
      test: flag,
      attempts: DataTypes.INTEGER,
      content: json('content'),
      again: uuid('again'),
    }) as Rows,
    attempts: sequelize.define('attempts', {
      site: key,
      delivery: uuid('delivery', true),
      number: { type: DataTypes.INTEGER, primaryKey: true },
      began: time,
      took_ms: DataTypes.DOUBLE,
      outcome: text,
      code: text,
      answer: text,
      steps: json('steps'),
    }) as Rows,
    receipts: sequelize.define('receipts', { site: key, delivery: uuid('delivery', true), at: time, kind: text, value: text }) as Rows,
    state: sequelize.define('state', { site: key, name: { type: text, primaryKey: true }, value: json('value') }) as Rows,
    media: sequelize.define('media', {
      site: key,
      id: uuid('id', true),
      camera: text,
      event: uuid('event'),
      at: time,
      path: text,
      bytes: DataTypes.INTEGER,
    }) as Rows,
    users: sequelize.define('users', { id: uuid('id', true), name: text, role: text, password: text, created: time }) as Rows,
    passes: sequelize.define('passes', {
      digest,
      id: uuid('id'),
      kind: text,
      user: uuid('user'),
      name: text,
      created: time,
      expires: time,
      permissions: json('permissions'),
      site: DataTypes.INTEGER,
    }) as Rows,
    audit: sequelize.define('audit', {
      id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
      at: time,
      site: DataTypes.INTEGER,
      by_whom: text,
      address: text,
      what: text,
      detail: json('detail'),
    }) as Rows,
    secrets: sequelize.define('secrets', {
      site: key,
      key: { type: text, primaryKey: true },
      sealed: DataTypes.BLOB,
      bound: json('bound'),
      at: time,
    }) as Rows,
    hookAddresses: sequelize.define('hook_addresses', { digest, site: DataTypes.INTEGER, hook: text, at: time }) as Rows,
    accountPasswords: sequelize.define('account_passwords', {
      site: { type: DataTypes.INTEGER, primaryKey: true },
      account: { type: text, primaryKey: true },
      digest: DataTypes.BLOB,
      at: time,
      last: time,
    }) as Rows,
    refused: sequelize.define('refused', {
      id: { type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true },
      site: DataTypes.INTEGER,
      source: text,
      at: time,
      address: text,
      reason: text,
    }) as Rows,
  };
}
export type Models = ReturnType<typeof defineModels>;
