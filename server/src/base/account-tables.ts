import type { Role } from '@core/base';
import { boolean, index, int, mysqlTable, uniqueIndex, varchar } from 'drizzle-orm/mysql-core';
import { hashColumn, jsonText, mediumText, moment, ref, rowId } from './columns';

export const people = mysqlTable(
  'people',
  {
    id: rowId(),
    login: varchar('login', { length: 60 }).notNull(),
    printedName: varchar('printed_name', { length: 300 }).notNull(),
    passwordHash: varchar('password_hash', { length: 200 }).notNull(),
    installation: boolean('installation').notNull().default(false),
    disabled: boolean('disabled').notNull().default(false),
    /** Until when its password is a one-time code, with which its person must set their own before anything else; null where it is their own. */
    codeUntil: moment('code_until'),
  },
  (t) => [uniqueIndex('people_login').on(t.login)],
);

export const sessions = mysqlTable('sessions', {
  idHash: hashColumn('id_hash').primaryKey(),
  personId: ref('person_id').notNull(),
  createdAt: moment('created_at').notNull(),
  /** It ends at the latest then, or when it was idle too long since `seenAt`. */
  expiresAt: moment('expires_at').notNull(),
  seenAt: moment('seen_at').notNull(),
  device: varchar('device', { length: 200 }).notNull().default(''),
  /** The password was right, the second factor is still to be shown: nothing else is allowed. */
  factorPending: boolean('factor_pending').notNull().default(false),
  /** When a second factor was shown in it; null where none was. */
  factorAt: moment('factor_at'),
  /** What a passkey has to answer, once. */
  challenge: varchar('challenge', { length: 200 }).notNull().default(''),
});

/** Second factors of people: authenticator applications and passkeys. */
export const secondFactors = mysqlTable(
  'second_factors',
  {
    id: rowId(),
    personId: ref('person_id')
      .notNull()
      .references(() => people.id),
    kind: varchar('kind', { length: 20 }).$type<'totp' | 'passkey' | 'recovery'>().notNull(),
    name: varchar('name', { length: 60 }).notNull(),
    /** The secret of an application, sealed; the public key of a passkey; the hashes of recovery codes, sealed. */
    sealed: mediumText('sealed').notNull(),
    credential: varchar('credential', { length: 1400 }).notNull().default(''),
    /** How often a passkey was used, as it says; how many recovery codes are left. */
    counter: int('counter').notNull().default(0),
    transports: varchar('transports', { length: 200 }).notNull().default(''),
    /** The step of time of the last code that was taken: none is taken twice. */
    lastStep: int('last_step'),
    createdAt: moment('created_at').notNull(),
    /** Null while no code of it was given yet. */
    confirmedAt: moment('confirmed_at'),
    usedAt: moment('used_at'),
  },
  (t) => [index('second_factors_person').on(t.personId)],
);

export const settings = mysqlTable('settings', {
  name: varchar('name', { length: 60 }).primaryKey(),
  value: mediumText('value').notNull(),
});

/** Accounts of programs in one project: what they may is named by roles, their secret is kept as its hash. */
export const tokens = mysqlTable(
  'tokens',
  {
    id: rowId(),
    projectId: ref('project_id').notNull(),
    name: varchar('name', { length: 40 }).notNull(),
    secretHash: hashColumn('secret_hash').notNull(),
    roles: jsonText<readonly Role[]>('roles').notNull(),
    createdBy: varchar('created_by', { length: 60 }).notNull(),
    createdAt: moment('created_at').notNull(),
    expiresAt: moment('expires_at').notNull(),
    endedAt: moment('ended_at'),
  },
  (t) => [uniqueIndex('tokens_secret').on(t.secretHash), uniqueIndex('tokens_name').on(t.projectId, t.name)],
);

/** How often something was tried in its present window of time, counted for all nodes together. */
export const limits = mysqlTable(
  'limits',
  { name: varchar('name', { length: 200 }).primaryKey(), count: int('count').notNull(), until: moment('until_at').notNull() },
  (t) => [index('limits_until').on(t.until)],
);
