import fc from 'fast-check';
import { writeCsv } from '../base';
import { approvalFaults, decodeText, emptyRequirement, previewRequirements, treeRows } from './index';

const context = { existing: new Set(['SYS-001']), levels: ['SIL 1', 'SIL 2'] };
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
      'key,title,text,level,method\nBRK-001,T,X,SIL 2,test\nBRK-001,T,X,,\nbad key,T,X,,\nBRK-003,,X,SIL 7,guess\nSYS-001,T,X,,\n',
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

  // An apostrophe before a formula sign is how the table guards against formulas, so texts that begin with one are left out.
  it('reads what it wrote, whatever the texts hold, and writes no formula', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.string({ minLength: 1 }).filter((s) => s.trim() === s && s !== '' && !/[\r\n]/.test(s) && !s.startsWith("'")),
          { minLength: 1, maxLength: 5 },
        ),
        (texts) => {
          const csv = writeCsv(
            ['key', 'title', 'text'],
            texts.map((text, i) => [`A-${i + 1}`, 'T', text]),
          );
          const { rows } = preview(csv);
          expect(rows.map((r) => r.content.text.replace(/^'(?=[=+@\t\r-])/, ''))).toEqual(texts);
        },
      ),
    );
    expect(writeCsv(['a'], [['=1+1'], ['-5']])).toBe('a\r\n"\'=1+1"\r\n-5\r\n');
  });
});

describe('the tree', () => {
  it('numbers in reading order and hides nothing that hangs in a circle', () => {
    const rows = treeRows([
      { key: 'A-2', under: 'A-1', position: 2 },
      { key: 'A-1', under: null, position: 1 },
      { key: 'A-3', under: 'A-1', position: 1 },
      { key: 'A-4', under: 'A-5', position: 1 },
      { key: 'A-5', under: 'A-4', position: 1 },
    ]);
    expect(rows.map((r) => `${r.number} ${r.item.key}`).slice(0, 3)).toEqual(['1 A-1', '1.1 A-3', '1.2 A-2']);
    expect(rows.length).toBe(5);
  });

  it('says what stands in the way of an approval', () => {
    expect(approvalFaults({ ...emptyRequirement, title: 'T', derived: true })).toEqual([
      'It has no text.',
      'It is marked derived and has no rationale.',
    ]);
    expect(approvalFaults({ ...emptyRequirement, kind: 'heading', title: 'T' })).toEqual([]);
  });
});
