import { strFromU8, unzipSync } from 'fflate';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { previewRequirements, readReqif, withPictures } from '@core/specify';
import { pictureSize, richBlocks } from '../src/base';
import { content, openProject, type Project } from './support';

const png = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64');

describe('A specification as a file', () => {
  let p: Project;
  let hash = '';
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addOutline, {
      key: 'BRK',
      rows: [
        { kind: 'heading', depth: 0, title: 'Brake', text: '' },
        { kind: 'requirement', depth: 1, title: 'Closes', text: 'It shall close.' },
        { kind: 'note', depth: 1, title: 'Why', text: 'It explains.' },
        { kind: 'heading', depth: 0, title: 'Doors', text: '' },
      ],
    });
    const { body } = await p.upload('author', '/records/BRK-002/files', [{ name: 'spring.png', bytes: png, mime: 'image/png' }]);
    hash = (body as unknown as { sha256: string }[])[0].sha256;
    const html = `<p>It shall <strong>close</strong>:</p><ol><li>fast</li></ol><table><tbody><tr><td>a</td><td>b</td></tr></tbody></table><p><img src="files/${hash}" alt="Spring"></p>`;
    const saved = await p.call('author', specify.saveRequirement, {
      key: 'BRK-002',
      basedOn: 1,
      content: content('Closes', { html, criteria: ['Seen'] }),
    });
    expect(saved.status).toBe(200);
  });
  afterAll(() => p.close());
  const get = async (path: string) =>
    p.app.inject({ url: `/api/projects/spec/specifications/${path}`, headers: { cookie: await p.cookie('auditor') } });

  it('is a document for word processors with headings, lists, tables and pictures', async () => {
    const files = unzipSync(new Uint8Array((await get('BRK/document?format=docx&history=1')).rawPayload));
    const xml = strFromU8(files['word/document.xml']);
    for (const part of ['1 Brake', '2 Doors', 'BRK-002', 'fast', 'It explains.', 'Verified by', 'Revision 2, draft'])
      expect(xml).toContain(part);
    expect(Object.keys(files).filter((name) => name.startsWith('word/media/')).length).toBe(1);
    const branch = strFromU8(
      unzipSync(new Uint8Array((await get('BRK/document?format=docx&under=BRK-004&traces=0')).rawPayload))['word/document.xml'],
    );
    expect([branch.includes('Doors'), branch.includes('Closes')]).toEqual([true, false]);
  });

  it('is paper with its text and pictures, a page, and Markdown', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'cord-document-'));
    writeFileSync(join(folder, 'd.pdf'), (await get('BRK/document?format=pdf')).rawPayload);
    const text = execFileSync('pdftotext', ['-layout', join(folder, 'd.pdf'), '-']).toString();
    for (const part of ['1 Brake', 'BRK-002', '1. fast', 'Accepted when', '1. Seen', 'Page 1 of 1']) expect(text).toContain(part);
    expect(execFileSync('pdfimages', ['-list', join(folder, 'd.pdf')]).toString()).toContain('image');
    expect((await get('BRK/document?format=html')).body).toContain('src="data:image/png;base64,');
    expect((await get('BRK/document?format=md&traces=0')).body).not.toContain('Verified by');
    expect((await get('NOT/document?format=md')).statusCode).toBe(404);
    expect((await get('BRK/document?format=exe')).statusCode).toBe(400);
    const found = async (question: string) =>
      p.app.inject({
        url: `/api/projects/spec/requirements/document?format=md&${question}`,
        headers: { cookie: await p.cookie('auditor') },
      });
    const only = (await found(`filter=${encodeURIComponent(JSON.stringify({ field: 'kind', is: ['requirement'] }))}&sort=-key`)).body;
    expect([only.includes('BRK-002 Closes'), only.includes('1 Brake')]).toEqual([true, false]);
    expect((await found('filter=nonsense')).statusCode).toBe(400);
  });

  it('is an archive of ReqIF with its pictures', async () => {
    const files = unzipSync(new Uint8Array((await get('BRK/file.reqifz')).rawPayload));
    expect(Object.keys(files).sort()).toEqual(['BRK.reqif', `pictures/${hash}.png`]);
    expect(Buffer.from(files[`pictures/${hash}.png`]).equals(png)).toBeTrue();
    expect(strFromU8(files['BRK.reqif'])).toContain(`data="pictures/${hash}.png"`);
  });

  it('comes back from its archive with layout and pictures: nothing is changed by it, and what is changed in it is', async () => {
    const xml = strFromU8(unzipSync(new Uint8Array((await get('BRK/file.reqifz')).rawPayload))['BRK.reqif']);
    const layoutsOf = (html: Readonly<Record<string, string>>): Record<string, string> =>
      Object.fromEntries(Object.entries(html).map(([key, one]) => [key, withPictures(one, (name) => /[0-9a-f]{64}/.exec(name)?.[0])]));
    const take = (text: string, specification = 'BRK', keys = { known: new Map<string, string>(), prefix: 'REQ', next: 1 }) => {
      const read = readReqif(text, keys);
      if ('fault' in read) throw new Error(read.fault);
      const mapping = previewRequirements(read.csv, undefined, { existing: new Map(), levels: [] }).mapping as Record<string, string>;
      return { specification, fileName: 'b.reqifz', csv: read.csv, mapping, layouts: layoutsOf(read.layouts) };
    };
    const before = (await p.call('auditor', specify.getRequirement, { key: 'BRK-002' })).body;
    const same = await p.call('author', specify.importRequirements, take(xml));
    expect(same.body).toEqual(jasmine.objectContaining({ written: 0, changed: 0, same: 4 }));
    expect(Object.keys(take(xml).layouts)).toEqual(['BRK-002']);
    // Somebody laid it out otherwise; the words are the same. What a text cannot hold is left out.
    const edited = xml.replace('<xhtml:strong>close</xhtml:strong>', '<xhtml:em onclick="steal()">close</xhtml:em>');
    const { body: shown } = await p.call('author', specify.previewImport, take(edited));
    expect(shown.rows.flatMap(({ key, differences }) => differences.map(({ name }) => [key, name]))).toEqual([['BRK-002', 'Layout']]);
    expect((await p.call('author', specify.importRequirements, take(edited))).body).toEqual(
      jasmine.objectContaining({ written: 0, changed: 1, same: 3 }),
    );
    const after = (await p.call('auditor', specify.getRequirement, { key: 'BRK-002' })).body;
    expect([after.text, after.html]).toEqual([before.text, before.html?.replace(/strong>/g, 'em>')]);
    const plain = { ...take(edited), layouts: {} };
    expect((await p.call('author', specify.importRequirements, plain)).body).toEqual(jasmine.objectContaining({ changed: 1 }));
    expect((await p.call('auditor', specify.getRequirement, { key: 'BRK-002' })).body.html).toBeUndefined();
    // Into another specification, where nothing of it is known.
    await p.call('author', specify.addSpecification, { key: 'PIC', title: 'With pictures', prefix: 'PIC' });
    const renamed = xml.replace(/THE-VALUE="BRK-(\d+)"/g, 'THE-VALUE="PIC-$1"');
    const fresh = await p.call('author', specify.importRequirements, take(renamed, 'PIC'));
    expect(fresh.body).toEqual(jasmine.objectContaining({ written: 4 }));
    const copy = (await p.call('auditor', specify.getRequirement, { key: 'PIC-002' })).body;
    expect([copy.text, copy.html]).toEqual([before.text, before.html]);
    expect(copy.html).toContain(`src="files/${hash}"`);
    const out = strFromU8(unzipSync(new Uint8Array((await get('PIC/file.reqifz')).rawPayload))['PIC.reqif']);
    const again = await p.call('author', specify.previewImport, take(out, 'PIC'));
    expect([again.body.new, again.body.changed, again.body.same]).toEqual([0, 0, 4]);
    const endless = { ...take(edited), layouts: { 'BRK-002': '<p>'.repeat(4000) } };
    expect((await p.call('author', specify.previewImport, endless)).problem.code).toBe('invalid');
    expect((await p.call('auditor', base.verifyLedger, {})).body).toEqual(jasmine.objectContaining({ rowFaults: [] }));
  });

  it('of another tool is known again by its identifiers, and goes out with what only that tool understands', async () => {
    const foreign = (await get('BRK/file.reqif')).body
      .replaceAll('_cp-object-', 'x-')
      .replace(
        /<ATTRIBUTE-VALUE-STRING THE-VALUE="BRK-\d+"><DEFINITION><ATTRIBUTE-DEFINITION-STRING-REF>_cp-attribute-ReqIF.ForeignID.*?<\/ATTRIBUTE-VALUE-STRING>/g,
        '',
      )
      .replace(
        '</SPEC-ATTRIBUTES>',
        '<ATTRIBUTE-DEFINITION-STRING IDENTIFIER="own" LONG-NAME="Owner"><TYPE><DATATYPE-DEFINITION-STRING-REF>_cp-type-string</DATATYPE-DEFINITION-STRING-REF></TYPE></ATTRIBUTE-DEFINITION-STRING></SPEC-ATTRIBUTES>',
      )
      .replace(
        '</VALUES>',
        '<ATTRIBUTE-VALUE-STRING THE-VALUE="Mira"><DEFINITION><ATTRIBUTE-DEFINITION-STRING-REF>own</ATTRIBUTE-DEFINITION-STRING-REF></DEFINITION></ATTRIBUTE-VALUE-STRING></VALUES>',
      )
      .replace(
        '</CORE-CONTENT>',
        '</CORE-CONTENT><TOOL-EXTENSIONS><REQ-IF-TOOL-EXTENSION><a xmlns="urn:x"/></REQ-IF-TOOL-EXTENSION></TOOL-EXTENSIONS>',
      );
    await p.call('author', specify.addSpecification, { key: 'OTH', title: 'Other', prefix: 'OTH' });
    const take = async () => {
      const { prefix, next, identifiers } = (await p.call('author', specify.getExchange, { key: 'OTH' })).body;
      const read = readReqif(foreign, { known: new Map(Object.entries(identifiers)), prefix, next });
      if ('fault' in read) throw new Error(read.fault);
      const mapping = previewRequirements(read.csv, undefined, { existing: new Map(), levels: [] }).mapping as Record<string, string>;
      const body = { specification: 'OTH', fileName: 'o.reqif', csv: read.csv, mapping, exchange: read.kept as never };
      return p.call('author', specify.importRequirements, body);
    };
    expect((await take()).body).toEqual(jasmine.objectContaining({ written: 4, changed: 0 }));
    expect((await take()).body).toEqual(jasmine.objectContaining({ written: 0, changed: 0, same: 4 }));
    const out = (await get('OTH/file.reqif')).body;
    for (const part of ['IDENTIFIER="x-BRK-002"', 'LONG-NAME="Owner"', 'THE-VALUE="Mira"', '<a xmlns="urn:x"/>', 'OTH-002'])
      expect(out).toContain(part);
    const { body } = await p.call('auditor', base.getRecord, { key: 'OTH-002' });
    expect(body.externalIds).toEqual([{ system: 'ReqIF', id: 'x-BRK-002' }]);
    expect((await p.call('auditor', base.verifyLedger, {})).body).toEqual(jasmine.objectContaining({ rowFaults: [] }));
  });

  it('is read from top to bottom a stretch at a time, and written into at a place', async () => {
    const read = async (more = {}) => (await p.call('auditor', specify.readSpecification, { key: 'BRK', ...more })).body;
    const told = (rows: readonly { key: string; number: string; depth: number }[]): string[] =>
      rows.map(({ key, number, depth }) => `${depth} ${key} ${number}`.trim());
    expect(told((await read()).rows)).toEqual(['0 BRK-001 1', '1 BRK-002', '1 BRK-003', '0 BRK-004 2']);
    const { rows, skip, total } = await read({ at: 'BRK-003', limit: '1' });
    expect([told(rows), skip, total]).toEqual([['1 BRK-003'], 2, 4]);
    const made = await p.call('author', specify.addRequirement, {
      specification: 'BRK',
      under: 'BRK-001',
      after: 'BRK-002',
      content: content('Between'),
    });
    expect(told((await read()).rows).slice(1, 4)).toEqual(['1 BRK-002', `1 ${made.body.key}`, '1 BRK-003']);
    expect(
      (await p.call('author', specify.addRequirement, { specification: 'BRK', under: null, after: 'BRK-002', content: content('Nowhere') }))
        .problem.code,
    ).toBe('invalid');
    expect((await p.call('auditor', specify.readSpecification, { key: 'BRK', at: 'BRK-999' })).status).toBe(404);
  });
});

describe('Layout as documents take it', () => {
  it('is blocks: paragraphs, items with their numbers, rows with their cells, marks and links', () => {
    const blocks = richBlocks(
      '<p>A <strong>b <em>c</em></strong></p><ul><li>one<ul><li>two</li></ul></li></ul><ol><li>x</li><li><p>y</p></li></ol><table><tr><th>h</th><td>d</td></tr></table><p><a href="https://x.y">z</a></p><p> </p>',
    );
    expect(
      blocks.map(({ kind, depth, number, runs, cells }) => [
        kind,
        depth,
        number ?? 0,
        (cells?.flat() ?? runs).map(({ text }) => text).join('|'),
      ]),
    ).toEqual([
      ['paragraph', 0, 0, 'A |b |c'],
      ['item', 0, 0, 'one'],
      ['item', 1, 0, 'two'],
      ['item', 0, 1, 'x'],
      ['item', 0, 2, 'y'],
      ['row', 0, 0, 'h|d'],
      ['paragraph', 0, 0, 'z'],
    ]);
    expect([...blocks[0].runs[2].marks]).toEqual(['bold', 'italic']);
    expect(blocks.at(-1)?.runs[0].link).toBe('https://x.y');
  });

  it('knows how large a picture is, and takes what is cut off for none', () => {
    expect(pictureSize(png)).toEqual({ kind: 'png', width: 1, height: 1 });
    expect(pictureSize(png.subarray(0, 20))).toBeUndefined();
    expect(pictureSize(Buffer.from('474946383961020003', 'hex'))).toBeUndefined();
    expect(pictureSize(Buffer.from('47494638396102000300', 'hex'))).toEqual({ kind: 'gif', width: 2, height: 3 });
    const jpeg = Buffer.from('ffd8ffe000040000ffc0000b080007000901011100', 'hex');
    expect(pictureSize(jpeg)).toEqual({ kind: 'jpg', width: 9, height: 7 });
    expect(pictureSize(Buffer.from('text'))).toBeUndefined();
  });
});
