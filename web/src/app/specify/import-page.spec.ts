import * as base from '@contract/base';
import * as contract from '@contract/specify';
import type { Requirement } from '@contract/specify';
import { emptyRequirement, previewRequirements, summariseImport, writeReqif, type ColumnMapping } from '@core/specify';
import { mount, openWeb } from '../base/testing';
import { ImportPage } from './import-page';
import { rooms, row, serve } from './testing';

describe('the import of a table', () => {
  const open = async (existing: Requirement[] = []) => {
    const { api } = openWeb(['author'], rooms);
    serve(api, () => existing);
    api.on(contract.previewImport, ({ csv, mapping }) => {
      const known = existing.map(
        ({ key, derivedFrom: parents, under, own, ...content }) => [key, { content, parents, under, own }] as const,
      );
      const context = { existing: new Map(known), levels: ['SIL 2', 'SIL 3'] };
      const { missing: _, ...summary } = summariseImport(
        previewRequirements(csv as string, mapping as ColumnMapping, context),
        context.existing,
      );
      const gone = known.map(([key]) => key).filter((key) => !(csv as string).includes(key));
      return { ...summary, missing: gone.length, missingKeys: gone };
    });
    const page = await mount(ImportPage);
    const give = async (csv: string): Promise<void> => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([csv], 'r.csv', { type: 'text/csv' }));
      page.one('.drop').dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
      await new Promise((resolve) => setTimeout(resolve, 20));
      await page.settled();
    };
    return { api, page, give };
  };

  it('names each fault by row and cell, and writes nothing while there is one', async () => {
    const { page, give } = await open();
    await give('key,title,text,level\nBRK-005,T,X,SIL 9\n');
    expect(page.text()).toContain('“SIL 9” is not a level of this project');
    expect(page.all('button').some((b) => /^Write/.test((b.textContent ?? '').trim()))).toBeFalse();
  });

  it('says what is new, changed and the same, and writes just that', async () => {
    const { api, page, give } = await open([row(1), row(2)]);
    await give('key,title,text\nBRK-001,Title 1,The valve 1 shall close.\nBRK-002,Other,The valve 2 shall close.\nBRK-009,New,It shall.\n');
    expect(page.text()).toContain('1 new, 1 changed, 1 the same');
    api.on(contract.importRequirements, () => ({ written: 1, changed: 1, same: 1, retired: 0, bulk: 3 }));
    await page.press(/Write 1 new and 1 changed/);
    expect(api.of(contract.importRequirements)[0]).toEqual(
      jasmine.objectContaining({ specification: 'BRK', fileName: 'r.csv', mapping: { key: 'key', title: 'title', text: 'text' } }),
    );
  });

  it('shows what differs, and retires what it does not name only where one says so', async () => {
    const { api, page, give } = await open([row(1), row(2)]);
    await give('key,title,text\nBRK-001,Another,The valve 1 shall close.\n');
    expect(page.all('cp-words-diff').map((d) => d.textContent)).toEqual(['Title 1Another']);
    expect(page.text()).toContain('The specification has one requirement that the table does not name: BRK-002');
    api.on(contract.importRequirements, () => ({ written: 0, changed: 1, same: 0, retired: 0, bulk: 4 }));
    await page.press(/Write 1 changed/);
    page.all<HTMLInputElement>('input[type=radio]')[1].click();
    await page.settled();
    await page.press(/Write 1 changed, retire 1/);
    expect(api.of(contract.importRequirements).map(({ missing }) => missing)).toEqual(['leave', 'retire']);
  });

  it('lists earlier imports, and takes one back as one', async () => {
    const { api } = openWeb(['author'], rooms);
    serve(api, () => []);
    const bulk = {
      id: 4,
      act: { act: 'import', fileName: 'old.csv' },
      reason: '',
      by: 'mira',
      at: '2026-03-01T10:00:00.000Z',
      total: 12,
      done: 12,
      refused: 0,
      undone: false,
      job: null,
    };
    api.on(base.listBulk, () => [bulk, { ...bulk, id: 3, act: { act: 'retire' } }]).on(base.undoBulk, () => ({ ...bulk, id: 5 }));
    const page = await mount(ImportPage);
    expect(page.all('tbody tr').length).toBe(1);
    expect(page.one('tbody tr').textContent).toMatch(/old\.csv.*mira.*12/);
    await page.press(/Take back as one/);
    expect(api.of(base.undoBulk)).toEqual([{ project: 'demo', id: 4 }]);
    expect(page.one('tbody tr').textContent).toContain('taken back');
  });

  it('offers nothing to write where nothing differs, and takes another mapping', async () => {
    const { page, give } = await open([row(1)]);
    await give('key,title,text,words\nBRK-001,Title 1,The valve 1 shall close.,other\n');
    expect(page.missing(/Nothing differs/)).toContain('Every row is here already');
    await page.write(/^Text/, 'words');
    expect(page.text()).toContain('0 new, 1 changed, 0 the same');
  });

  it('takes rows that are pasted from a spreadsheet, and leaves what is pasted into a box', async () => {
    const { api, page } = await open();
    const paste = async (target: EventTarget, text: string): Promise<void> => {
      const clipboardData = new DataTransfer();
      clipboardData.setData('text/plain', text);
      target.dispatchEvent(new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true }));
      await new Promise((resolve) => setTimeout(resolve, 20));
      await page.settled();
    };
    await paste(document.body, 'just words');
    const box = document.createElement('textarea');
    page.element.append(box);
    await paste(box, 'key\ttitle\ttext\nBRK-001\tA\tIt shall.\n');
    expect(api.of(contract.previewImport)).toEqual([]);
    await paste(document.body, 'key\ttitle\ttext\nBRK-009\tA\tIt shall.\n');
    expect(page.text()).toContain('pasted rows.csv');
    expect(page.text()).toContain('1 of 1 rows are good: 1 new');
  });

  it('reads a workbook table by table, through the server', async () => {
    const { api, page } = await open();
    api.on(contract.readWorkbook, ({ sheet }) => ({
      sheets: ['Old', 'New'],
      sheet: sheet ?? 'Old',
      csv: `key,title,text\nXLS-001,${sheet ?? 'Old'},It shall.\n`,
    }));
    const transfer = new DataTransfer();
    transfer.items.add(new File([new Uint8Array(4)], 'r.xlsx'));
    page.one('.drop').dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
    await page.settled();
    expect(api.asked.find((a) => a.endpoint === contract.readWorkbook)?.files?.map((f) => f.name)).toEqual(['r.xlsx']);
    expect(page.text()).toContain('1 of 1 rows are good');
    await page.press(/^\s*New\s*$/);
    expect(page.all('tbody td').map((td) => td.textContent?.trim())).toContain('New');
  });

  it('reads ReqIF, plain and in its archive, and says what in it cannot be read', async () => {
    const { api, page } = await open();
    api.on(contract.getExchange, () => ({ prefix: 'BRK', next: 8, identifiers: {} }));
    const content = { ...emptyRequirement, title: 'Stop', text: 'It shall stop.', level: 'SIL 2' };
    const rows = [{ key: 'BRK-007', under: null, content, state: 'draft', revision: 1, updatedAt: '', parents: [] }];
    const xml = [...writeReqif({ title: 'Brake', key: 'BRK', createdAt: '', levels: ['SIL 2'], rows })].join('');
    const give = async (name: string, bytes: Uint8Array<ArrayBuffer> | string, says: string): Promise<void> => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([bytes], name));
      page.one('.drop').dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
      await page.until(() => page.text().includes(says));
      expect(page.text()).toContain(says);
    };
    await give('b.reqif', xml, '1 of 1 rows are good: 1 new');
    const { zipSync, strToU8 } = await import('fflate');
    await give(
      'b.reqifz',
      new Uint8Array(zipSync({ 'b.reqif': strToU8(xml), 'picture.png': new Uint8Array(4) })),
      '1 of 1 rows are good: 1 new',
    );
    await give('c.reqif', '<!DOCTYPE a [<!ENTITY b "c">]><REQ-IF/>', 'c.reqif: Line 1: the document declares');
    await give(
      'd.reqifz',
      new Uint8Array(zipSync({ 'd.reqif': strToU8(xml), 'endless.png': new Uint8Array(201 << 20) })),
      'unpacks to far more',
    );
  }, 30_000);

  it('sends a large table in parts, has it written by a job, and can be stopped', async () => {
    const { api, page, give } = await open();
    const summary = {
      ...summariseImport(
        previewRequirements('key,title,text\nBRK-009,T,It shall.\n', undefined, { existing: new Map(), levels: [] }),
        new Map(),
      ),
    };
    api.on(contract.previewSentTable, () => ({ ...summary, missing: 0, missingKeys: [] })).on(contract.importSentTable, () => ({ id: 5 }));
    await give(`key,title,text\nBRK-009,T,${'It shall. '.repeat(500_000)}\n`);
    await page.until(() => page.text().includes('1 of 1 rows are good'));
    const sent = new Response(api.sent[0].stream().pipeThrough(new DecompressionStream('gzip')));
    expect(Object.keys((await sent.json()) as object)).toEqual(['csv']);
    const table = `${'f'.repeat(31)}1`;
    expect(api.of(contract.previewSentTable)).toEqual([
      { project: 'demo', specification: 'BRK', table, columns: ['key', 'title', 'text'] },
    ]);
    await page.press(/Write 1 new/);
    await page.until(() => api.of(contract.importSentTable).length);
    expect(api.of(contract.importSentTable)[0]).toEqual(
      jasmine.objectContaining({ table, specification: 'BRK', fileName: 'r.csv', missing: 'leave' }),
    );
    expect(api.of(contract.importRequirements)).toEqual([]);
    // It is with the job now: the page is ready for the next.
    await page.until(() => !page.text().includes('rows are good'));
    api.on(contract.getExchange, () => new Promise(() => undefined));
    spyOn(api, 'sendInParts').and.returnValue(new Promise(() => undefined));
    await give(`key,title,text\nBRK-009,T,${'It shall. '.repeat(500_000)}\n`);
    await page.until(() => page.text().includes('Sending what was read: 0 %'));
    await page.press(/^\s*Cancel/);
    expect(page.text()).not.toContain('Sending');
    expect(page.all('[role=alert]')).toEqual([]);
  }, 30_000);

  it('takes pictures that are chosen beside a plain document', async () => {
    const { api, page } = await open();
    api.on(contract.getExchange, () => ({ prefix: 'BRK', next: 8, identifiers: {} }));
    const img = `<p><img src="files/${'aa'.repeat(32)}" alt="spring" /></p>`;
    const content = { ...emptyRequirement, title: 'Stop', text: 'It shall stop.', html: `<p>It shall stop.</p>${img}` };
    const rows = [{ key: 'BRK-007', under: null, content, state: 'draft', revision: 1, updatedAt: '', parents: [] }];
    const pictures = new Map([['aa'.repeat(32), { name: 'pictures/spring.png', mime: 'image/png' }]]);
    const xml = [...writeReqif({ title: 'Brake', key: 'BRK', createdAt: '', levels: ['SIL 2'], rows, pictures })].join('');
    const choose = async (says: string, ...files: File[]): Promise<void> => {
      const transfer = new DataTransfer();
      for (const file of files) transfer.items.add(file);
      page.one('.drop').dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
      await page.until(() => page.text().includes(says));
      expect(page.text()).toContain(says);
    };
    const document = new File([xml], 'b.reqif');
    await choose('1 picture is not in the file', document);
    await choose(
      '1 picture is taken with its texts.',
      new File([new Uint8Array([1, 2, 3])], 'spring.png', { type: 'image/png' }),
      document,
    );
    expect(page.text()).toContain('b.reqif');
  });

  it('takes the layout of ReqIF along, with the pictures of its archive, which it stores before', async () => {
    const { api, page } = await open();
    api
      .on(contract.getExchange, () => ({ prefix: 'BRK', next: 8, identifiers: {} }))
      .on(contract.importRequirements, () => ({ written: 1, changed: 0, same: 0, retired: 0, bulk: 3 }))
      .on(base.listAttachments, () => [{ sha256: 'ff'.repeat(32) }])
      .on(base.addAttachments, () => []);
    const [spring, bolt] = [new Uint8Array([1, 2, 3]), new Uint8Array([4])];
    // printf '\\1\\2\\3' | sha256sum
    const sha256 = '039058c6f2c0cb492c533b0a4d14ef77cc0f78abccced5287d84a1a2011cfb81';
    const names = new Map([
      ['aa', 'pictures/a%20spring.png'],
      ['bb', 'pictures/gone.png'],
    ]);
    const img = (n: string): string => `<p><img src="files/${n.repeat(32)}" alt="${n}" /></p>`;
    const content = {
      ...emptyRequirement,
      title: 'Stop',
      text: 'It shall stop.',
      html: `<p>It shall <b>stop</b>.</p>${img('aa')}${img('bb')}`,
    };
    const rows = [{ key: 'BRK-007', under: null, content, state: 'draft', revision: 1, updatedAt: '', parents: [] }];
    const pictures = new Map([...names].map(([n, name]) => [n.repeat(32), { name, mime: 'image/png' }]));
    const xml = [...writeReqif({ title: 'Brake', key: 'BRK', createdAt: '', levels: ['SIL 2'], rows, pictures })].join('');
    const { zipSync, strToU8 } = await import('fflate');
    const archive = zipSync({ 'out/b.reqif': strToU8(xml), 'out/pictures/a spring.png': spring, 'out/pictures/bolt.png': bolt });
    const transfer = new DataTransfer();
    transfer.items.add(new File([new Uint8Array(archive)], 'b.reqifz'));
    page.one('.drop').dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
    await page.until(() => page.text().includes('1 of 1 rows are good'));
    expect(page.text()).toContain('1 picture is taken with its texts. 1 picture is not in the file');
    const layouts = { 'BRK-007': `<p>It shall <b>stop</b>.</p><p><img src="files/${sha256}" alt="aa" /></p><p>[bb]</p>` };
    expect(api.of(contract.previewImport).at(-1)).toEqual(jasmine.objectContaining({ layouts }));
    await page.press(/Write 1 new/);
    await page.until(() => api.of(contract.importRequirements).length);
    const stored = api.asked.filter(({ endpoint }) => endpoint === base.addAttachments);
    expect(stored.map(({ input, files }) => [input['key'], files?.map(({ name, type }) => `${name} ${type}`)])).toEqual([
      ['BRK', ['a spring.png image/png']],
    ]);
    expect(api.of(contract.importRequirements)).toEqual([jasmine.objectContaining({ layouts })]);
    // Where a picture cannot be stored, no text is written.
    api.refuse(base.addAttachments, { title: 'The project is full.', code: 'storageFull' as never });
    await page.press(/Write 1 new/);
    await page.until(() => page.text().includes('nothing was written'));
    expect(api.of(contract.importRequirements)).toHaveSize(1);
  }, 20_000);
});
