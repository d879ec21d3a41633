import { zipSync, strToU8 } from 'fflate';
import ExcelJS from 'exceljs';
import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { readReqif } from '@core/specify';
import { openProject, type Project } from './support';

const row = (kind: 'heading' | 'requirement' | 'note', depth: number, title: string, text = '') => ({ kind, depth, title, text });

describe('Many requirements at once', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const write = (rows: ReturnType<typeof row>[], more = {}, who = 'author') =>
    p.call(who, specify.addOutline, { key: 'BRK', rows, ...more });
  const tree = async () => {
    const { body } = await p.call('auditor', specify.listRequirements, { specification: 'BRK', limit: 500 });
    const under = new Map(body.rows.map((r) => [r.key, r.under]));
    const depth = (key: string): number => (under.get(key) ? 1 + depth(under.get(key) ?? '') : 0);
    return body.rows.map((r) => `${r.key} ${depth(r.key)} ${r.kind} ${r.title} ${r.level}`.trim());
  };

  it('are written as the tree that they are, with keys in reading order', async () => {
    const { body } = await write(
      [
        row('heading', 0, 'Brake'),
        row('note', 1, 'It holds.', 'It holds.'),
        row('requirement', 1, 'Closes', 'It shall close.'),
        row('requirement', 4, 'Opens', 'It shall open.'),
        row('heading', 0, 'Doors'),
      ],
      { level: 'SIL 2', method: 'test', source: 'old.docx' },
    );
    expect([body.written, body.first]).toEqual([5, 'BRK-001']);
    expect(await tree()).toEqual([
      'BRK-001 0 heading Brake',
      'BRK-002 1 note It holds.',
      'BRK-003 1 requirement Closes SIL 2',
      'BRK-004 2 requirement Opens SIL 2',
      'BRK-005 0 heading Doors',
    ]);
    const below = await write([row('requirement', 0, 'Shuts', 'It shall shut.')], { under: 'BRK-005' });
    expect((await tree()).at(-1)).toBe(`${below.body.first} 1 requirement Shuts`);
    expect((await p.call('auditor', base.verifyLedger, {})).body.fault).toBeUndefined();
  });

  it('are written all or none, by who may', async () => {
    const before = await tree();
    const faulty = await write([row('requirement', 0, 'Good', 'It shall.'), row('requirement', 0, ' ')]);
    expect(faulty.problem.findings?.map((f) => f.row)).toEqual([2]);
    expect((await write([row('heading', 0, 'A')], { level: 'SIL 9' })).problem.fields?.[0].path).toBe('level');
    expect((await write([row('heading', 0, 'A')], { under: 'BRK-999' })).status).toBe(404);
    expect((await write([row('heading', 0, 'A')], {}, 'reviewer')).problem.code).toBe('forbidden');
    expect(await tree()).toEqual(before);
  });

  it('keep their keys apart where two people write at once', async () => {
    const many = (name: string) => write(Array.from({ length: 40 }, (_, i) => row('requirement', 0, `${name} ${i}`, 'It shall.')));
    const [a, b] = await Promise.all([many('A'), many('B')]);
    expect(new Set([...a.body.keys, ...b.body.keys]).size).toBe(80);
  });

  it('go out as ReqIF and come back without a change', async () => {
    const answer = await p.app.inject({
      url: '/api/projects/spec/specifications/BRK/file.reqif',
      headers: { cookie: await p.cookie('auditor') },
    });
    const read = readReqif(answer.body);
    if ('fault' in read) throw new Error(read.fault);
    const { body } = await p.call('author', specify.previewImport, { csv: read.csv });
    expect([body.findings, body.new, body.changed, body.same > 80]).toEqual([[], 0, 0, true]);
    writeFileSync('/tmp/cord-reqif.xml', answer.body);
    expect(execFileSync('xmllint', ['--noout', '/tmp/cord-reqif.xml']).toString()).toBe('');
    expect(
      (await p.app.inject({ url: '/api/projects/spec/specifications/NOT/file.reqif', headers: { cookie: await p.cookie('auditor') } }))
        .statusCode,
    ).toBe(404);
  });

  it('come from a workbook: each of its tables as it is read, formulas as what they gave', async () => {
    const workbook = new ExcelJS.Workbook();
    workbook.addWorksheet('Empty');
    const sheet = workbook.addWorksheet('Texts');
    sheet.addRow(['key', 'title', 'text', 'level']);
    sheet.addRow([
      'XLS-001',
      { richText: [{ text: 'Rich ' }, { font: { bold: true }, text: 'title' }] },
      { formula: '"It shall "&"hold."', result: 'It shall hold.' },
      'SIL 2',
    ]);
    const bytes = Buffer.from(await workbook.xlsx.writeBuffer());
    const send = (file: Buffer, query = '') =>
      p.upload('author', `/imports/requirements/workbook${query}`, [{ name: 'r.xlsx', bytes: file }]);
    expect((await send(bytes)).body['sheets']).toEqual(['Empty', 'Texts']);
    const { body } = await send(bytes, '?sheet=Texts');
    const preview = await p.call('author', specify.previewImport, { csv: body['csv'] as string });
    expect([preview.body.findings, preview.body.rows.map((r) => [r.key, r.content.title, r.content.level])]).toEqual([
      [],
      [['XLS-001', 'Rich title', 'SIL 2']],
    ]);
    expect((await send(Buffer.from('no archive'))).problem.code).toBe('unreadable');
    const bomb = Buffer.from(zipSync({ 'xl/workbook.xml': strToU8(' '.repeat(130 << 20)) }));
    expect(bomb.length).toBeLessThan(1 << 20);
    expect((await send(bomb)).problem.code).toBe('hostileArchive');
  });
});
