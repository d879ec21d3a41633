import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { diskSpace, nearlyFull } from '../src/base';
import { content, openProject, type Project } from './support';

describe('what a project may hold of files', () => {
  let p: Project;
  const mib = 1 << 20;
  const attach = (bytes: number, fill = 'a') =>
    p.upload('author', '/records/BRK-001/files', [
      { name: `${fill}.bin`, bytes: Buffer.alloc(bytes, fill), mime: 'application/octet-stream' },
    ]);
  const stored = async () => (await p.call('auditor', base.getProject, {})).body.storage;
  const allow = async (login: string, allowed: number) => {
    const answer = await p.app.inject({
      method: 'PUT',
      url: '/api/projects/spec/storage',
      headers: { cookie: await p.cookie(login) },
      payload: { allowed },
    });
    return { status: answer.statusCode, body: answer.json<{ used: number; allowed: number }>() };
  };
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') });
  });
  afterAll(() => p.close());

  it('is counted as files come, and told with the project', async () => {
    expect(await stored()).toEqual({ used: 0, allowed: 20 * 1024 * mib, diskLow: null });
    expect((await attach(1000)).status).toBe(200);
    expect((await attach(500, 'b')).status).toBe(200);
    expect((await stored()).used).toBe(1500);
  });

  it('is set by whoever administers the installation, which stands in both ledgers', async () => {
    expect((await allow('author', 10 * mib)).status).toBe(403);
    expect((await allow('admin', 10)).status).toBe(400);
    expect((await allow('admin', 3 * mib)).body).toEqual({ used: 1500, allowed: 3 * mib });
    const { entries } = (await p.call('auditor', base.listLedger, { kind: 'project', limit: 10 })).body;
    expect(entries[0]).toEqual(jasmine.objectContaining({ action: 'storage allowed', who: 'admin', after: { bytes: 3 * mib } }));
  });

  it('refuses what does not fit, by its announced size and by what it really has, and stores nothing of it', async () => {
    const large = await attach(4 * mib);
    expect([large.status, large.problem.code]).toEqual([413, 'tooLarge']);
    expect(large.problem.detail).toContain('may hold 3.0 MiB');
    const announced = await p.call('tester', base.beginIncoming, { name: 'big.info', mime: 'text/plain', bytes: 4 * mib });
    expect(announced.problem.code).toBe('tooLarge');
    // Both fit alone, and were let in; together they do not.
    const both = await Promise.all([attach(2 * 900_000, 'c'), attach(2 * 900_000, 'd')]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 413]);
    expect((await stored()).used).toBe(1500 + 2 * 900_000);
    const files = (await p.call('auditor', base.listAttachments, { key: 'BRK-001' })).body;
    expect(files.reduce((sum, { bytes }) => sum + bytes, 0)).toBe(1500 + 2 * 900_000);
  });

  it('goes on where more is allowed; what is not a file is never refused', async () => {
    expect((await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds too') })).status).toBe(200);
    await allow('admin', 100 * mib);
    expect((await attach(4 * mib, 'e')).status).toBe(200);
  });
});

describe('the disk of the database', () => {
  const gib = 1024 ** 3;
  it('is told as nearly full below two GiB or a twentieth, and is enough above both', () => {
    expect(nearlyFull({ free: 1.9 * gib, size: 100 * gib })).toBeTrue();
    expect(nearlyFull({ free: 4 * gib, size: 100 * gib })).toBeTrue();
    expect(nearlyFull({ free: 6 * gib, size: 100 * gib })).toBeFalse();
    // A disk that is small as a whole is not told as full all the time.
    expect(nearlyFull({ free: 1.2 * gib, size: 2 * gib })).toBeFalse();
  });
  it('is looked at where its folder is known, and no oftener than twice a minute', async () => {
    const from = Date.now() + 10 * 60_000;
    const here = await diskSpace(process.cwd(), from);
    expect(here?.size).toBeGreaterThan(0);
    expect(await diskSpace('/no/such/folder', from + 1000)).toBe(here);
    expect(await diskSpace('/no/such/folder', from + 60_000)).toBeUndefined();
    expect(await diskSpace('', from + 120_000)).toBeUndefined();
  });
});
