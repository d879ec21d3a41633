import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { sql } from 'drizzle-orm';
import { migrate } from 'drizzle-orm/mysql2/migrator';
import { openDatabase, type Database, type DatabaseAddress } from './base';
import './rooms';
import { upgradeFirstRelease } from './upgrade';

/** Tables whose rows are never changed: the server's account may add and read, nothing else. */
const appendOnly = new Set([
  'ledger',
  'revisions',
  'signatures',
  'decisions',
  'blobs',
  'trace_confirmations',
  'upload_files',
  'code_units',
  'cord_history',
  'pack_keys',
]);
/** Tables from which rows may go: they hold no record of the work. */
const removable = new Set([
  'second_factors',
  'sessions',
  'memberships',
  'followers',
  'news_marks',
  'presence',
  'external_ids',
  'case_calls',
  'case_depends',
  'group_members',
  'cords',
  'source_credits',
  'boundary_counts',
  'projected',
  'projections',
  'operations',
  'integrity_faults',
  'saved_filters',
  'limits',
  'incoming',
  'incoming_parts',
  'judged_at',
  'run_looks',
]);

/** The database was migrated by a newer release than this one. */
export class NewerSchema extends Error {}

/**
 * Brings the tables up to date with the owner's account and gives the server's account just the rights it needs. One node does it at
 * a time, under the lock of a row; a schema that this release does not know is refused.
 */
export async function migrateDatabase(
  owner: DatabaseAddress,
  app: { readonly user: string; readonly password: string },
  folder: string,
): Promise<void> {
  const database = openDatabase(owner);
  try {
    await underLock(database, async () => {
      await refuseNewer(database, folder);
      await migrate(database.db, { migrationsFolder: folder });
      await upgradeFirstRelease(database.db);
      await grantRights(database, owner.database, app);
    });
  } finally {
    await database.close();
  }
}

async function underLock(database: Database, work: () => Promise<void>): Promise<void> {
  await database.db.execute(sql`create table if not exists schema_lock (id int primary key)`);
  await database.db.execute(sql`insert ignore into schema_lock values (1)`);
  const connection = await database.pool.getConnection();
  try {
    await connection.query('set session innodb_lock_wait_timeout = 900');
    await connection.beginTransaction();
    await connection.query('select id from schema_lock where id = 1 for update');
    await work();
    await connection.commit();
  } finally {
    connection.release();
  }
}

async function refuseNewer(database: Database, folder: string): Promise<void> {
  const known = (JSON.parse(readFileSync(join(folder, 'meta', '_journal.json'), 'utf8')) as { entries: unknown[] }).entries.length;
  const [there] = (await database.pool.query("show tables like '__drizzle_migrations'")) as unknown as [unknown[]];
  if (!there.length) return;
  const [[{ n }]] = (await database.pool.query('select count(*) as n from `__drizzle_migrations`')) as unknown as [[{ n: number }]];
  if (Number(n) > known)
    throw new NewerSchema(`The database has ${n} migrations, this release knows ${known}: it was used by a newer one. Start that instead.`);
}

async function grantRights(database: Database, name: string, app: { readonly user: string; readonly password: string }): Promise<void> {
  const [rows] = (await database.pool.query('show tables')) as unknown as [Record<string, string>[]];
  const quote = (text: string): string => database.pool.escape(text);
  const account = `${quote(app.user)}@'%'`;
  await database.db.execute(sql.raw(`create user if not exists ${account} identified by ${quote(app.password)}`));
  await database.db.execute(sql.raw(`alter user ${account} identified by ${quote(app.password)}`));
  for (const row of rows) {
    const table = Object.values(row)[0];
    if (table.startsWith('__') || table === 'schema_lock') continue;
    const rights = appendOnly.has(table)
      ? 'select, insert'
      : removable.has(table)
        ? 'select, insert, update, delete'
        : 'select, insert, update';
    await database.db.execute(sql.raw(`grant ${rights} on \`${name}\`.\`${table}\` to ${account}`));
  }
}

export const migrationsFolder = (root: string): string => join(root, 'server', 'migrations');
