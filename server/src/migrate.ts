import { join } from 'node:path';
import { sql } from 'drizzle-orm';
import { migrate } from 'drizzle-orm/mysql2/migrator';
import { openDatabase, type DatabaseAddress } from './base';

/** Tables whose rows are never changed: the server's account may add and read, nothing else. */
const appendOnly = new Set(['ledger', 'revisions', 'signatures', 'decisions', 'blobs']);
/** Tables from which rows may go: they hold no record of the work. */
const removable = new Set(['sessions', 'memberships']);

/**
 * Brings the tables up to date with the owner's account and gives the server's account just the rights it needs.
 */
export async function migrateDatabase(
  owner: DatabaseAddress,
  app: { readonly user: string; readonly password: string },
  folder: string,
): Promise<void> {
  const database = openDatabase(owner);
  try {
    await migrate(database.db, { migrationsFolder: folder });
    const [rows] = (await database.pool.query('show tables')) as unknown as [Record<string, string>[]];
    const quote = (text: string): string => database.pool.escape(text);
    const account = `${quote(app.user)}@'%'`;
    await database.db.execute(sql.raw(`create user if not exists ${account} identified by ${quote(app.password)}`));
    await database.db.execute(sql.raw(`alter user ${account} identified by ${quote(app.password)}`));
    for (const row of rows) {
      const table = Object.values(row)[0];
      if (table.startsWith('__')) continue;
      const rights = appendOnly.has(table)
        ? 'select, insert'
        : removable.has(table)
          ? 'select, insert, update, delete'
          : 'select, insert, update';
      await database.db.execute(sql.raw(`grant ${rights} on \`${owner.database}\`.\`${table}\` to ${account}`));
    }
  } finally {
    await database.close();
  }
}

export const migrationsFolder = (root: string): string => join(root, 'server', 'migrations');
