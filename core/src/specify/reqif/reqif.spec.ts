import fc from 'fast-check';
import {
  emptyRequirement,
  inReadingOrder,
  previewRequirements,
  readReqif,
  writeReqif,
  type ExistingRequirement,
  type ReqifRow,
} from '../index';

const levels = ['SIL 1', 'SIL 2'];
const whole = (rows: readonly ReqifRow[]): string =>
  [...writeReqif({ title: 'Brake & “more”', key: 'BRK', createdAt: '2026-03-01T10:00:00.000Z', levels, rows })].join('');
const row = (n: number, more: Partial<ReqifRow> = {}, content = {}): ReqifRow => ({
  key: `BRK-${n}`,
  under: null,
  content: { ...emptyRequirement, title: `T ${n}`, text: 'It shall.', ...content },
  state: 'draft',
  revision: 1,
  updatedAt: '2026-03-01T10:00:00.000Z',
  parents: [],
  ...more,
});
const read = (xml: string) => {
  const given = readReqif(xml);
  if ('fault' in given) throw new Error(given.fault);
  return given;
};

describe('ReqIF', () => {
  it('comes back as it went out: imported again it changes nothing, whatever stands in it', () => {
    const words = fc
      .array(fc.constantFrom('The', 'pump', '<b>', '&amp;', '"', '’', 'shall', 'é', '=1+1', '\n'), { minLength: 1, maxLength: 8 })
      .map((w) =>
        w
          .join(' ')
          .split('\n')
          .map((l) => l.trim())
          .join('\n')
          .trim(),
      );
    const line = words.map((w) => w.replace(/\s+/g, ' ').trim() || 'x');
    const any = fc.uniqueArray(
      fc.record({
        n: fc.integer({ min: 1, max: 20 }),
        under: fc.option(fc.integer({ min: 1, max: 20 })),
        parent: fc.option(fc.integer({ min: 1, max: 20 })),
        kind: fc.constantFrom('heading' as const, 'requirement' as const, 'note' as const),
        title: line,
        text: words.map(
          (w) =>
            w
              .split('\n')
              .map((l) => l.trim())
              .filter(Boolean)
              .join('\n') || 'x',
        ),
        level: fc.constantFrom('', 'SIL 2'),
        derived: fc.boolean(),
        why: fc.option(line.map((l) => `Why: ${l}`)),
      }),
      { selector: (r) => r.n, minLength: 1, maxLength: 8 },
    );
    fc.assert(
      fc.property(any, (list) => {
        const known = new Set(list.map((r) => r.n));
        const rows = inReadingOrder(
          list.map((r) =>
            row(
              r.n,
              {
                under: r.under !== null && r.under < r.n && known.has(r.under) ? `BRK-${r.under}` : null,
                parents: r.parent !== null && r.parent < r.n && known.has(r.parent) ? [`BRK-${r.parent}`] : [],
              },
              {
                kind: r.kind,
                title: r.title,
                text: r.kind === 'heading' ? '' : r.text,
                level: r.kind === 'requirement' ? r.level : '',
                derived: r.derived,
                notInCode: r.why !== null,
                notInCodeRationale: r.why ?? '',
              },
            ),
          ),
        );
        const existing = new Map<string, ExistingRequirement>(
          rows.map((r) => [r.key, { content: r.content, parents: r.parents, under: r.under, own: {} }]),
        );
        const { rows: back, findings } = previewRequirements(read(whole(rows)).csv, undefined, { existing, levels, fields: [] });
        expect(findings.map((f) => `${f.row} ${f.cell} ${f.text}`)).toEqual([]);
        expect(back.map((r) => `${r.key} ${r.status}`)).toEqual(rows.map((r) => `${r.key} same`));
      }),
    );
  });

  it('keeps the words of a layout, and says where a picture stands', () => {
    const html = '<p>The <strong>pump</strong> shall</p><ul><li>stop</li></ul><p><img src="files/ab" alt="Valve"></p>';
    const { csv } = read(whole([row(1, {}, { html, text: 'The pump shall\nstop' })]));
    expect(csv).toContain('"The pump shall\nstop\n[Valve]"');
  });

  it('of another tool becomes a table: keys made where there are none, every attribute under its own name', () => {
    const object = (id: string, values: string): string => `<SPEC-OBJECT IDENTIFIER="${id}"><VALUES>${values}</VALUES></SPEC-OBJECT>`;
    const value = (of: string, text: string): string =>
      `<ATTRIBUTE-VALUE-STRING THE-VALUE="${text}"><DEFINITION><ATTRIBUTE-DEFINITION-STRING-REF>${of}</ATTRIBUTE-DEFINITION-STRING-REF></DEFINITION></ATTRIBUTE-VALUE-STRING>`;
    const xml = `<REQ-IF xmlns="http://www.omg.org/spec/ReqIF/20110401/reqif.xsd"><A><ATTRIBUTE-DEFINITION-STRING IDENTIFIER="a" LONG-NAME="ReqIF.Text"/><ATTRIBUTE-DEFINITION-STRING IDENTIFIER="b" LONG-NAME="Cost"/></A>
      ${object('x', value('a', 'It shall hold.') + value('b', '7'))}${object('y', value('a', 'It shall stop.'))}
      <SPECIFICATION IDENTIFIER="s" LONG-NAME="Old"><CHILDREN><SPEC-HIERARCHY IDENTIFIER="h"><OBJECT><SPEC-OBJECT-REF>y</SPEC-OBJECT-REF></OBJECT><CHILDREN><SPEC-HIERARCHY IDENTIFIER="i"><OBJECT><SPEC-OBJECT-REF>x</SPEC-OBJECT-REF></OBJECT></SPEC-HIERARCHY></CHILDREN></SPEC-HIERARCHY></CHILDREN></SPECIFICATION></REQ-IF>`;
    const { csv, specifications } = read(xml);
    expect(specifications).toEqual(['Old']);
    const lines = csv.trim().split('\r\n');
    expect(lines[0]).toBe('key,kind,under,title,text,parent,not in code,Cost');
    expect(
      lines.slice(1).map((l) =>
        l
          .split(',')
          .filter((_, i) => [0, 2, 7].includes(i))
          .join(' '),
      ),
    ).toEqual(['REQ-002  ', 'REQ-001 REQ-002 7']);
  });

  it('is refused with the reason and nothing is half read: entities, what dangles, what is cut off', () => {
    const fault = (xml: string): string => {
      const given = readReqif(xml);
      return 'fault' in given ? given.fault : 'read';
    };
    expect(fault('<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><REQ-IF/>')).toContain('entities of its own');
    expect(fault(whole([row(1)]).replace('<SPEC-OBJECT-REF>_cp-object-BRK-1', '<SPEC-OBJECT-REF>_gone'))).toContain(
      '_gone, which is not in the file',
    );
    expect(fault(whole([row(1)]).slice(0, 2000))).toContain('cannot be read');
    expect(fault('<REQ-IF/>')).toContain('no object');
    expect(fault('<a>'.repeat(400))).toContain('nested too deeply');
  });
});
