import { appendFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { checkDaily, checkHeads, Projector, rotateKey, signHead } from '../src/prove';
import { content, openProject, type Project } from './support';

describe('the ledger’s end, signed outside the database,', () => {
  let p: Project;
  const folder = mkdtempSync(join(tmpdir(), 'cord-heads-'));
  const file = join(folder, 'heads.jsonl');
  const add = (title: string) => p.call('author', specify.addRequirement, { specification: 'BRK', content: content(title) });
  const verify = async () => (await p.call('auditor', base.verifyLedger, {})).body;

  beforeAll(async () => {
    p = await openProject();
    process.env['CORD_HEADS_FILE'] = file;
    await add('One');
  });
  afterAll(async () => {
    delete process.env['CORD_HEADS_FILE'];
    rmSync(folder, { recursive: true });
    await p.close();
  });

  it('is written by the daily check, also of the installation, and fits', async () => {
    const now = (): Date => new Date('2030-01-01T08:00:00Z');
    await checkDaily({ database: p.database, now }, new Projector(p.database.db, now), p.projectId);
    const lines = readFileSync(file, 'utf8')
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { project: string });
    expect(lines.map(({ project }) => project)).toEqual(['spec', 'installation']);
    const { signedHeads } = await verify();
    expect([signedHeads?.heads, signedHeads?.last?.at, signedHeads?.fault]).toEqual([1, '2030-01-01T08:00:00.000Z', null]);
  });

  it('still fits after more was written, signed by a new key, or half a line was left behind by a fall', async () => {
    await add('Two');
    await rotateKey(p.database.db);
    await signHead(p.database.db, p.projectId, new Date());
    appendFileSync(file, '{"project":"spec","seq":');
    expect((await checkHeads(p.database.db, p.projectId))?.fault).toBeNull();
    writeFileSync(file, `${readFileSync(file, 'utf8').split('\n').slice(0, 3).join('\n')}\n`);
    expect((await checkHeads(p.database.db, p.projectId))?.heads).toBe(2);
  });

  it('tells a line that nobody here signed', async () => {
    const whole = readFileSync(file, 'utf8');
    const last = JSON.parse(whole.trim().split('\n').at(-1) ?? '') as { seq: number };
    appendFileSync(file, `${JSON.stringify({ ...last, seq: last.seq + 5 })}\n`);
    expect((await verify()).signedHeads?.fault?.fault).toBe('forged');
    writeFileSync(file, whole);
  });

  it('tells a chain that was cut together with its head, which nothing within the database can', async () => {
    const before = await verify();
    const cut = before.entries - 1;
    await p.owner.query(`create table ${p.name}.kept as select * from ${p.name}.ledger where project_id = ${p.projectId} and seq > ${cut}`);
    await p.owner.query(`delete from ${p.name}.ledger where project_id = ${p.projectId} and seq > ${cut}`);
    await p.owner.query(
      `update ${p.name}.ledger_heads h join ${p.name}.ledger l on l.project_id = h.project_id and l.seq = ${cut} set h.seq = l.seq, h.hash = l.hash where h.project_id = ${p.projectId}`,
    );
    const { fault, signedHeads } = await verify();
    expect(fault).toBeUndefined();
    expect([signedHeads?.fault?.seq, signedHeads?.fault?.fault]).toEqual([before.entries, 'shorter']);
  });

  it('tells a chain that was made anew with other entries', async () => {
    await add('Another history');
    await add('And more of it');
    await add('And more');
    expect((await verify()).signedHeads?.fault?.fault).toBe('another');
  });

  it('says nothing where the operator named no file', async () => {
    delete process.env['CORD_HEADS_FILE'];
    expect((await verify()).signedHeads).toBeNull();
    process.env['CORD_HEADS_FILE'] = file;
  });
});
