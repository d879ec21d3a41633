import { createHash } from 'node:crypto';
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { is, sql } from 'drizzle-orm';
import { getTableConfig, MySqlTable } from 'drizzle-orm/mysql-core';
import { createConnection } from 'mysql2/promise';
import * as base from '../src/base';
import * as design from '../src/design';
import * as measure from '../src/measure';
import * as prove from '../src/prove';
import * as run from '../src/run';
import * as specify from '../src/specify';
import { migrateDatabase, migrationsFolder, NewerSchema } from '../src/migrate';
import { contextOf, openBare, openSite, root, type Bare, type Site } from './support';

interface OldSignature {
  readonly id: number;
  readonly run_id: number;
  readonly hash: string;
}

/** The database of a release before this one, as that release left it. */
async function openDump(file: string): Promise<Bare> {
  const bare = await openBare();
  const connection = await createConnection({ ...bare.address, host: '127.0.0.1', multipleStatements: true });
  const text = gunzipSync(readFileSync(join(root, 'server', 'fixtures', file))).toString('utf8');
  await connection.query(text);
  await connection.end();
  return bare;
}

describe('a database of the first release', () => {
  let bare: Bare;
  let site: Site;
  let before: OldSignature[];
  let firstEntries: { seq: number; hash: string }[];
  beforeAll(async () => {
    bare = await openDump('schema-1.sql.gz');
    [before] = (await bare.owner.query('select id, run_id, hash from signatures order by id')) as unknown as [OldSignature[]];
    [firstEntries] = (await bare.owner.query('select project_id, seq, hash from ledger order by project_id, seq')) as unknown as [
      typeof firstEntries,
    ];
    await bare.migrate();
    site = bare.open();
  });
  afterAll(() => site.close());

  it('keeps every signature, and each still is under the text that was signed', async () => {
    const { db } = site.database;
    const retained = await db.select().from(base.signatures).orderBy(base.signatures.id);
    expect(before.length).toBe(190);
    expect(retained.map(({ id, hash }) => ({ id, hash }))).toEqual(before.map(({ id, hash }) => ({ id: Number(id), hash })));
    const ofSignature = new Map(retained.map((s) => [s.id, s.recordId]));
    const stored = await run.selectRuns(db, undefined);
    const evidence = await run.evidenceOf(
      db,
      stored.map((s) => s.run.id),
    );
    const hashes = new Map(stored.map((s) => [s.run.id, run.storedRunHash(s, evidence.get(s.run.id) ?? [])]));
    expect(before.filter((old) => hashes.get(ofSignature.get(Number(old.id)) ?? 0) !== old.hash)).toEqual([]);
  });

  it('keeps the old ledger to the letter, and accounts for every row from here on', async () => {
    const [now] = (await site.owner.query(
      'select project_id, seq, hash from ledger where format = 1 order by project_id, seq',
    )) as unknown as [typeof firstEntries];
    expect(now).toEqual(firstEntries);
    const [projects] = (await site.owner.query('select id from projects')) as unknown as [{ id: number }[]];
    for (const { id } of [{ id: 0 }, ...projects]) {
      const verified = await base.verifyLedger(site.database.db, id);
      expect([verified.fault, verified.rowFaultCount]).toEqual([undefined, 0]);
      if (id) expect(verified.rows).toBeGreaterThan(300);
    }
  });

  it('judges the newest build, with its measurements and traces to code', async () => {
    const { db } = site.database;
    const [newest] = await base.newestBuilds(db, 1);
    const projector = new prove.Projector(db, () => new Date());
    await projector.want(newest.projectId, newest.buildId);
    await projector.bring(newest.projectId, newest.buildId);
    const [counted] = (await db.execute(
      sql`select count(*) as cords, sum(first_break = 9) as proved, (select count(*) from requirements where kind = 'requirement') as requirements,
        (select count(*) from source_credits where measured) as measured from cords where build_id = ${newest.buildId}`,
    )) as unknown as [Record<string, string>[]];
    const figures = Object.fromEntries(Object.entries(counted[0]).map(([name, n]) => [name, Number(n)]));
    expect(figures).toEqual({ cords: 60, requirements: 60, proved: 17, measured: 8 });
  });

  it('is not touched by a second migration, and goes on taking entries', async () => {
    const fingerprint = async (): Promise<string> => {
      const [rows] = await site.owner.query('select seq, hash from ledger order by project_id, seq');
      const [tables] = await site.owner.query('show tables');
      return createHash('sha256')
        .update(JSON.stringify([rows, tables]))
        .digest('hex');
    };
    const once = await fingerprint();
    await bare.migrate();
    expect(await fingerprint()).toBe(once);
    const [{ projectId }] = await base.newestBuilds(site.database.db, 1);
    const actor: base.Actor = { login: 'later', projectId, now: () => new Date() };
    await base.addBuild(site.database.db, actor, { name: '99.0', description: '' });
    expect((await base.verifyLedger(site.database.db, projectId)).fault).toBeUndefined();
  });
});

describe('the tables', () => {
  let site: Site;
  beforeAll(async () => (site = await openSite()));
  afterAll(() => site.close());

  it('are in the database as the code believes them to be', async () => {
    const tables = new Set(
      [base, specify, design, run, measure, prove].flatMap((room) =>
        Object.values(room as Record<string, unknown>).filter((x) => is(x, MySqlTable)),
      ),
    );
    const [columns] = (await site.owner.query(
      'select table_name t, column_name c, is_nullable n, data_type d from information_schema.columns where table_schema = database()',
    )) as unknown as [{ t: string; c: string; n: string; d: string }[]];
    const there = columns.filter(({ t }) => !t.startsWith('__') && t !== 'schema_lock').map(({ t, c, n }) => `${t}.${c} ${n}`);
    const asked = [...tables].flatMap((table) => {
      const config = getTableConfig(table as MySqlTable);
      return config.columns.map((column) => `${config.name}.${column.name} ${column.notNull ? 'NO' : 'YES'}`);
    });
    expect(asked.sort()).toEqual(there.sort());
    const [indexes] = (await site.owner.query(
      'select distinct table_name t, index_name i from information_schema.statistics where table_schema = database()',
    )) as unknown as [{ t: string; i: string }[]];
    const names = new Set(indexes.map(({ t, i }) => `${t}.${i}`));
    const missing = [...tables].flatMap((table) => {
      const { name, indexes: own } = getTableConfig(table as MySqlTable);
      return own.map((index) => `${name}.${index.config.name}`).filter((index) => !names.has(index));
    });
    expect(missing).toEqual([]);
  });

  it('of a newer release are refused, and left as they are', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'cord-migrations-'));
    cpSync(migrationsFolder(root), folder, { recursive: true });
    const journalFile = join(folder, 'meta', '_journal.json');
    const journal = JSON.parse(readFileSync(journalFile, 'utf8')) as { entries: unknown[] };
    writeFileSync(journalFile, JSON.stringify({ ...journal, entries: journal.entries.slice(0, -1) }));
    await expectAsync(migrateDatabase(site.address, site.account, folder)).toBeRejectedWithError(NewerSchema, /used by a newer one/);
    rmSync(folder, { recursive: true });
    // The server's account still may do what it must, and nothing more.
    await expectAsync(contextOf(site.database).database.db.execute(sql`delete from ledger`)).toBeRejected();
  });
});
