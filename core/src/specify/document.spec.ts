import fc from 'fast-check';
import { marked } from 'marked';
import { documentHtml, documentMarkdown, factsOf, numberedRows, type DocumentRow, type SpecificationDocument } from './document';
import { emptyRequirement } from './requirement';

const row = (
  key: string,
  kind: 'heading' | 'requirement' | 'note',
  under: string | null,
  more: Partial<DocumentRow['content']> = {},
): DocumentRow => ({
  key,
  under,
  content: { ...emptyRequirement, kind, title: `Title of ${key}`, ...more },
  state: 'approved',
  revision: 2,
  own: { Zone: 'front' },
  parents: ['SYS-1'],
  children: [],
  cases: [],
  history: [{ revision: 1, state: 'draft', by: 'mira', at: '2026-03-01T10:00:00.000Z', reason: '' }],
});
const rows = [
  row('B-1', 'heading', null),
  row('B-2', 'requirement', 'B-1', { text: 'It shall * hold < 3 s.', criteria: ['Seen'] }),
  row('B-3', 'heading', 'B-1'),
  row('B-4', 'note', 'B-3', { text: 'It explains.' }),
  row('B-5', 'heading', 'B-2'),
  row('B-6', 'heading', null),
] as const;
const of = (list: readonly DocumentRow[]): SpecificationDocument => ({
  title: 'Brake <1>',
  project: 'P',
  at: '2026-03-02T10:00:00.000Z',
  rows: list,
});

describe('A specification as a document', () => {
  it('numbers headings by their place, below requirements too', () => {
    expect(numberedRows(rows).map(({ depth, number }) => `${depth} ${number}`.trim())).toEqual(['0 1', '1', '1 1.1', '2', '2 1.2', '0 2']);
  });

  it('tells traces and history only where they are asked for', () => {
    const told = (options: { traces: boolean; history: boolean }) => [...documentMarkdown(of(rows), options)].join('');
    expect(told({ traces: false, history: false })).not.toContain('Comes from');
    const all = told({ traces: true, history: true });
    expect(all).toContain('- **Comes from:** SYS-1');
    expect(all).toContain('- **Verified by:** nothing');
    expect(all).toContain('- *Revision 1, draft, mira, 2026-03-01*');
    expect(factsOf(rows[0], { traces: true })).toEqual([]);
  });

  it('writes Markdown in which a text is a text, whatever signs it has', () => {
    fc.assert(
      fc.property(
        fc.string({ maxLength: 60 }).filter((s) => s.trim() !== '' && !/[\n\r&]/.test(s)),
        (text) => {
          const page = [
            ...documentMarkdown(of([row('B-1', 'heading', null, { title: `x${text}` })]), { traces: false, history: false }),
          ].join('');
          const shown = new DOMParser().parseFromString(marked.parse(page, { async: false }), 'text/html');
          const plain = (words: string): string => words.replace(/\s+/g, ' ').trim();
          expect(plain(shown.querySelector('h2')?.textContent ?? '')).toBe(plain(`1 x${text}`));
        },
      ),
    );
  });

  it('writes a page with nothing of the texts as elements, and with the pictures that it was given', () => {
    const hash = 'ab'.repeat(32);
    const html = `<p>See</p><p><img src="files/${hash}" alt="Spring" /></p>`;
    const list = [...rows, row('B-7', 'requirement', null, { title: '<script>alert(1)</script>', text: 'See', html })];
    const page = [...documentHtml(of(list), { traces: true, history: true }, new Map([[hash, 'data:image/png;base64,AA']]))].join('');
    const shown = new DOMParser().parseFromString(page, 'text/html');
    expect(shown.querySelector('script')).toBeNull();
    expect(shown.querySelector('img')?.getAttribute('src')).toBe('data:image/png;base64,AA');
    expect([...shown.querySelectorAll('h2')].map((h) => h.textContent)).toEqual([
      '1 Title of B-1',
      '2 Title of B-6',
      'B-7 <script>alert(1)</script>',
    ]);
    expect(shown.querySelector('#B-2 dd:last-child')?.textContent).toContain('Revision 1, draft');
  });
});
