import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync, strFromU8 } from 'fflate';
import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { textHash } from '@core/base';
import { content, openProject, password, type Project } from './support';

describe('Baselines', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const add = async (title: string, more = {}): Promise<string> =>
    (await p.call('author', specify.addRequirement, { specification: 'BRK', content: content(title), ...more })).body.key;
  const sign = (title: string, more = {}, who = 'author') =>
    p.call(who, specify.addBaseline, { title, specifications: ['BRK'], password, ...more });
  const file = async (path: string, who = 'auditor') =>
    p.app.inject({ url: `/api/projects/spec${path}`, headers: { cookie: await p.cookie(who) } });

  it('are signed over just what they hold, and read later as what was signed', async () => {
    expect((await sign('Empty')).problem.fields?.[0].path).toBe('specifications');
    const a = await add('First');
    const b = await add('Second', { parent: a });
    expect((await sign('One', {}, 'tester')).problem.code).toBe('forbidden');
    expect((await sign('One', { password: 'wrong' })).problem.code).toBe('signaturePassword');
    expect((await sign('One', { specifications: ['NOT'] })).status).toBe(404);
    const { body: made } = await sign('One', { description: 'For 1.0.' });
    expect([made.key, made.requirements, made.traces, made.signatures.map((s) => [s.meaning, s.hash])]).toEqual([
      'BL-001',
      2,
      1,
      [['baselined', made.sha256]],
    ]);
    const before = (await file('/baselines/BL-001/file')).body;
    expect(textHash(before)).toBe(made.sha256);
    // Whatever is done later.
    await p.call('author', specify.saveRequirement, { key: a, basedOn: 1, content: content('Other'), reason: 'It was not clear.' });
    await p.call('author', base.retireRecord, { key: b, retired: true, reason: 'Not wanted.' });
    expect((await file('/baselines/BL-001/file')).body).toBe(before);
    const { body: read } = await p.call('auditor', specify.readBaseline, { key: 'BL-001', words: 'first' });
    expect(read.rows.map((r) => [r.key, r.content.title, r.revision])).toEqual([[a, 'First', 1]]);
    // As documents, which name it: all of it, or what words find.
    const document = '/baselines/BL-001/document';
    const text = (await file(`${document}?format=md`)).body;
    expect(text).toContain('Baseline BL-001 of BRK, signed by Person author on ');
    expect(text).toMatch(/It was the newest when this was written, \d{4}-/);
    expect(text).toMatch(/BRK-001 First[^]*BRK-002 Second[^]*Comes from:\*\* BRK-001/);
    expect((await file(`${document}?format=html&words=second`)).body).toMatch(/Only what says “second”: 1 row\.<[^]*BRK-002/);
    expect((await file(`${document}?format=html&words=second`)).body).not.toContain('id="BRK-001"');
    const rows = (await file(`${document}?format=csv`)).body.split('\r\n');
    expect(rows[0]).toMatch(/^"?key"?,/);
    expect(rows[2]).toMatch(/^"?BRK-002"?,.*Second.*BRK-001/);
    const docx = unzipSync(new Uint8Array((await file(`${document}?format=docx`)).rawPayload));
    expect(strFromU8(docx['word/document.xml'])).toContain('Baseline BL-001 of BRK');
    expect((await file(`${document}?format=pdf`)).rawPayload.subarray(0, 5).toString()).toBe('%PDF-');
    expect((await file('/baselines/BL-009/document')).statusCode).toBe(404);
  });

  it('tell what is otherwise now, kind by kind, in pages, and as files that a spreadsheet and a word processor open', async () => {
    const c = await add('Third', { under: null });
    const now = (await p.call('auditor', specify.compareBaseline, { key: 'BL-001' })).body;
    expect(now.counts.filter((n) => n.count).map((n) => [n.what, n.count])).toEqual([
      ['added', 1],
      ['changed', 2],
    ]);
    const [changed, retired] = now.rows;
    expect(changed.differences.map((d) => [d.name, d.before, d.after])).toEqual([
      ['Title', 'First', 'Other'],
      ['Text', 'First shall hold.', 'Other shall hold.'],
    ]);
    expect(retired.differences).toEqual([{ name: 'State', before: 'draft', after: 'retired' }]);
    const page = (await p.call('auditor', specify.compareBaseline, { key: 'BL-001', what: 'added', limit: 1 })).body;
    expect([page.total, page.rows.map((r) => r.key)]).toEqual([1, [c]]);
    const csv = (await file('/baselines/BL-001/comparison/file?format=csv')).body;
    expect(csv).toContain('[-First-]{+Other+}');
    const docx = unzipSync(new Uint8Array((await file('/baselines/BL-001/comparison/file?format=docx')).rawPayload));
    const words = strFromU8(docx['word/document.xml']);
    expect(words).toMatch(/<w:del [^>]*>.*?First/);
    expect(words).toMatch(/<w:ins [^>]*>.*?Other/);
    const xlsx = unzipSync(new Uint8Array((await file('/baselines/BL-001/comparison/file?format=xlsx')).rawPayload));
    expect(Object.keys(xlsx)).toContain('xl/worksheets/sheet1.xml');
    const paper = join(mkdtempSync(join(tmpdir(), 'cord-comparison-')), 'c.pdf');
    writeFileSync(paper, (await file('/baselines/BL-001/comparison/file?format=pdf')).rawPayload);
    expect(execFileSync('pdftotext', [paper, '-']).toString()).toMatch(/BL-001 compared with[\s\S]*First ?Other/);
  });

  it('say that a newer one holds the same, and compare with each other either way', async () => {
    await sign('Two');
    const shown = (key: string) => p.call('auditor', specify.getBaseline, { key });
    expect([(await shown('BL-001')).body.newer, (await shown('BL-002')).body.newer]).toEqual(['BL-002', null]);
    const counts = async (key: string, other: string) =>
      Object.fromEntries(
        (await p.call('auditor', specify.compareBaseline, { key, with: other })).body.counts.map((n) => [n.what, n.count]),
      );
    const there = await counts('BL-001', 'BL-002');
    const back = await counts('BL-002', 'BL-001');
    expect([there['added'], there['removed'], there['changed']]).toEqual([back['removed'], back['added'], back['changed']]);
    expect((await p.call('auditor', specify.compareBaseline, { key: 'BL-002', with: 'BL-009' })).status).toBe(404);
    expect((await p.call('auditor', specify.listBaselines, {})).body.rows.map((b) => b.key).sort()).toEqual(['BL-001', 'BL-002']);
  });

  it('cannot be changed behind the ledger without being found out', async () => {
    await p.owner.query("update blobs set bytes = replace(bytes, 'First', 'Never') where sha256 = (select sha256 from baselines limit 1)");
    const answer = await file('/baselines/BL-001/file');
    expect(answer.json<{ code: string }>().code).toBe('recordChanged');
  });
});
