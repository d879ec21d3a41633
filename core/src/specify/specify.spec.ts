import fc from 'fast-check';
import Papa from 'papaparse';
import { plainCell, writeCsv } from '../base';
import { type ImportContext, approvalFaults, decodeText, emptyRequirement, previewRequirements, summariseImport } from './index';

const old = { content: { ...emptyRequirement, title: 'S', text: 'It shall.' }, parents: [], under: null, own: {} };
const context = {
  existing: new Map<string, typeof old | null>([
    ['SYS-001', old],
    ['C-001', null],
  ]),
  levels: ['SIL 1', 'SIL 2'],
  fields: [
    { id: 7, name: 'Mass', type: 'number' as const, choices: [] },
    { id: 8, name: 'Zones', type: 'choices' as const, choices: ['front', 'rear'] },
  ],
};
const preview = (csv: string, mapping?: Parameters<typeof previewRequirements>[1]) => previewRequirements(csv, mapping, context);

describe('import of requirements', () => {
  it('suggests the columns and reads quoted cells, semicolons and line breaks in cells', () => {
    const { rows, findings, mapping } = preview('ID;Title;Description;SIL;Parent\nBRK-001;"A; title";"two\nlines";SIL 2;SYS-001\n');
    expect(findings).toEqual([]);
    expect(mapping).toEqual({ key: 'ID', title: 'Title', text: 'Description', level: 'SIL', parent: 'Parent' });
    expect(rows[0].content.title).toBe('A; title');
    expect(rows[0].content.text).toBe('two\nlines');
  });

  it('names row and cell of each fault', () => {
    const { rows, findings } = preview(
      'key,title,text,level,method\nBRK-001,T,X,SIL 2,test\nBRK-001,T,X,,\nbad key,T,X,,\nBRK-003,,X,SIL 7,guess\nC-001,T,X,,\n',
    );
    expect(rows.map((r) => r.key)).toEqual(['BRK-001']);
    expect(findings.map((f) => [f.row, f.cell])).toEqual([
      [3, 'key'],
      [4, 'key'],
      [5, 'title'],
      [5, 'level'],
      [5, 'method'],
      [6, 'key'],
    ]);
  });

  it('says which columns are missing or doubled, and that a quoted cell is never closed', () => {
    expect(preview('name\nx\n').findings.map((f) => f.cell)).toEqual(['key', 'text']);
    expect(preview('key,key,title,text\n').findings[0].text).toContain('Two columns');
    expect(preview('').findings[0].text).toContain('no heading row');
    expect(preview('key,title,text\nA-1,T,"open\n').findings.some((f) => f.text.includes('never closed'))).toBeTrue();
  });

  it('recognises encodings by their marks, by UTF-8’s own rules, else takes Windows-1252; bytes that are no text are none', () => {
    const bytes = (...b: number[]): Uint8Array => new Uint8Array(b);
    expect(decodeText(bytes(0xff, 0xfe, 0x41, 0x00))).toEqual({ text: 'A', encoding: 'utf-16le' });
    expect(decodeText(bytes(0xfe, 0xff, 0x00, 0x41))).toEqual({ text: 'A', encoding: 'utf-16be' });
    expect(decodeText(bytes(0xc3, 0xa4))?.text).toBe('ä');
    expect(decodeText(bytes(0xe4))).toEqual({ text: 'ä', encoding: 'windows-1252' });
    expect(decodeText(bytes(0x50, 0x4b, 0x00))).toBeUndefined();
  });

  it('counts rows as a spreadsheet does, blank ones too', () => {
    expect(preview('\nkey,title,text\n\nA-1,T,X\n,,\nA-2,,X\n').findings.map((f) => f.row)).toEqual([6]);
  });

  it('takes no, false, 0, - and nothing for no, and refuses other words by cell', () => {
    for (const word of ['no', 'No', 'false', '0', '-', '', 'n'])
      expect(preview(`key,title,text,derived\nA-1,T,X,${word}\n`).rows[0].content.derived)
        .withContext(word)
        .toBeFalse();
    for (const word of ['yes', 'TRUE', '1', 'x'])
      expect(preview(`key,title,text,derived\nA-1,T,X,${word}\n`).rows[0].content.derived)
        .withContext(word)
        .toBeTrue();
    expect(preview('key,title,text,derived,top level\nA-1,T,X,maybe,perhaps\n').findings.map((f) => f.cell)).toEqual([
      'top level',
      'derived',
    ]);
    const why = preview('key,title,text,not in code\nA-1,T,X,no\nA-2,T,X,A label\nA-3,T,X,yes\n').rows.map((r) => r.content);
    expect(why.map((c) => [c.notInCode, c.notInCodeRationale])).toEqual([
      [false, ''],
      [true, 'A label'],
      [true, ''],
    ]);
  });

  it('tells the first five hundred faults, and takes no faulty row behind them for a good one', () => {
    const table = preview(`key,title,text\n${'X-1,T,It holds.\n'.repeat(2000)}X-2,T,It holds.\n`);
    expect(table.findings.length).toBe(500);
    const { good, total, rows, ...counts } = summariseImport(table, context.existing);
    expect([good, total, counts.new]).toEqual([2, 2001, 2]);
    expect(rows.map(({ key }) => key)).toEqual(['X-1', 'X-2']);
  });

  it('shows what changes something before what does not, and no more rows than anybody reads', () => {
    const content = { ...emptyRequirement, title: 'T', text: 'It holds.' };
    const existing: ImportContext['existing'] = new Map([...context.existing, ['X-1', { ...old, content }] as const]);
    const lines = Array.from({ length: 300 }, (_, i) => `X-${i + 1},T,It holds.`).join('\n');
    const summary = summariseImport(previewRequirements(`key,title,text\n${lines}\n`, undefined, { ...context, existing }), existing);
    expect([summary.new, summary.changed, summary.same, summary.rows.length]).toEqual([299, 0, 1, 100]);
    expect(summary.rows.every(({ status }) => status === 'new')).toBeTrue();
  });

  it('refuses circles of parents, in the file and through the project, with the circle shown', () => {
    const { findings } = preview('key,title,text,parent\nA-1,T,X,A-2\nA-2,T,X,A-3\nA-3,T,X,A-1\nA-4,T,X,A-1\n');
    expect(findings.length).toBe(1);
    expect(findings[0].text).toContain('A-1 → A-2 → A-3 → A-1');
    const through = new Map([...context.existing, ['B-1', { ...old, parents: ['A-1'] }]]);
    const csv = 'key,title,text,parent\nA-1,T,X,B-1\n';
    expect(previewRequirements(csv, undefined, { ...context, existing: through }).findings[0].text).toContain('A-1 → B-1 → A-1');
    expect(preview('key,title,text,parent\nA-1,T,X,A-1\n').findings[0].text).toContain('its own parent');
    const long = Array.from({ length: 20_000 }, (_, i) => `A-${i + 1},T,X,A-${i + 2}`).join('\n');
    expect(preview(`key,title,text,parent\n${long}\nA-20001,T,X,A-1\n`).findings.length).toBe(1);
  });

  it('takes several parents in one cell, and names the one that is unknown', () => {
    expect(preview('key,title,text,parent\nA-1,T,X,\nA-2,T,X,"A-1; SYS-001"\n').rows[1].parents).toEqual(['A-1', 'SYS-001']);
    expect(preview('key,title,text,parent\nA-2,T,X,SYS-001 A-9\n').findings[0].text).toContain('A-9');
    expect(preview('key,title,text,parent\nA-2,T,X,C-001\n').findings[0].text).toContain('C-001');
  });

  it('holds the limits of the editor, and keys of nine digits', () => {
    const { findings } = preview(`key,title,text\nA-1,${'t'.repeat(301)},X\nA-2,T,${'x'.repeat(20_001)}\nA-${'9'.repeat(30)},T,X\n`);
    expect(findings.map((f) => [f.row, f.cell])).toEqual([
      [2, 'title'],
      [3, 'text'],
      [4, 'key'],
    ]);
    expect(findings[0].text).toContain('300');
  });

  it('refuses a mapping of unknown fields, and of columns that the file has not', () => {
    const csv = 'key,title,text\nA-1,T,X\n';
    const usual = { key: 'key', title: 'title', text: 'text' };
    expect(preview(csv, { ...usual, level: 'gone' }).findings[0].text).toContain('no column “gone”');
    expect(preview(csv, { ...usual, colour: 'title' } as never).findings[0].text).toContain('no field “colour”');
    expect(preview(csv, { ...usual, 'own:9': 'title' }).findings[0].text).toContain('no field “own:9”');
  });

  it('reads the project’s own fields by their types', () => {
    const { rows, findings } = preview('key,title,text,Mass,Zones\nA-1,T,X,3.5,front; rear\nA-2,T,X,heavy,middle\nA-3,T,X,,\n');
    expect(rows.map((r) => r.own)).toEqual([{ '7': 3.5, '8': ['front', 'rear'] }, {}]);
    expect(findings.map((f) => f.cell)).toEqual(['Mass', 'Zones']);
  });

  it('tells what is new, changed and the same, and leaves what has no column as it is', () => {
    const { rows } = preview('key,title,text\nSYS-001,S,It shall.\nA-1,T,X\n');
    expect(rows.map((r) => r.status)).toEqual(['same', 'new']);
    const changed = preview('key,title,text,level\nSYS-001,S,It shall.,SIL 1\n').rows[0];
    expect([changed.status, changed.content.level]).toEqual(['changed', 'SIL 1']);
  });

  it('reads what it wrote, whatever the texts hold, and writes no formula', () => {
    const awkward = fc.oneof(
      fc.string({ minLength: 1 }),
      fc.constantFrom("'=1", '=1+1', '-2+3+cmd|x', '@a', "''-a", ' "=x"', "'\tx", '-5'),
    );
    fc.assert(
      fc.property(fc.array(awkward, { minLength: 1, maxLength: 5 }), (texts) => {
        const csv = writeCsv(
          ['key', 'title', 'text'],
          texts.map((text, i) => [`A-${i + 1}`, 'T', `${text}.`]),
        );
        expect(preview(csv).rows.map((r) => r.content.text)).toEqual(texts.map((text) => `${text}.`));
        expect(
          texts.map((text) => plainCell(Papa.parse<string[]>(writeCsv(['a'], [[text]]), { delimiter: ',' }).data[1].join(','))),
        ).toEqual(texts.map((text) => text));
      }),
    );
    expect(writeCsv(['a'], [['=1+1'], ['-5']])).toBe('a\r\n"\'=1+1"\r\n-5\r\n');
    for (const cell of ['=1', '+1', '@x', '-2+3', '\tx', '\rx', ' =1', '"=1', "'=1"])
      expect(writeCsv([cell], []))
        .withContext(cell)
        .toMatch(/^"?'/);
  });
});

describe('an approval', () => {
  it('says what stands in the way of an approval', () => {
    expect(approvalFaults({ ...emptyRequirement, title: 'T', derived: true })).toEqual([
      'It has no text.',
      'It is marked derived and has no rationale.',
    ]);
    expect(approvalFaults({ ...emptyRequirement, kind: 'heading', title: 'T' })).toEqual([]);
  });
});
