import fc from 'fast-check';
import { plainText } from '../../base';
import { brokenRules } from './rules.testing';
import {
  emptyRequirement,
  inReadingOrder,
  previewRequirements,
  readReqif,
  ReqifReading,
  withPictures,
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

describe('A ReqIF file of another tool', () => {
  const attribute = (id: string, name: string, type = 'STRING', of = 'dt-s'): string =>
    `<ATTRIBUTE-DEFINITION-${type} IDENTIFIER="${id}" LONG-NAME="${name}"><TYPE><DATATYPE-DEFINITION-${type}-REF>${of}</DATATYPE-DEFINITION-${type}-REF></TYPE></ATTRIBUTE-DEFINITION-${type}>`;
  const value = (id: string, given: string): string =>
    `<ATTRIBUTE-VALUE-STRING THE-VALUE="${given}"><DEFINITION><ATTRIBUTE-DEFINITION-STRING-REF>${id}</ATTRIBUTE-DEFINITION-STRING-REF></DEFINITION></ATTRIBUTE-VALUE-STRING>`;
  const chosen =
    '<ATTRIBUTE-VALUE-ENUMERATION><DEFINITION><ATTRIBUTE-DEFINITION-ENUMERATION-REF>a-c</ATTRIBUTE-DEFINITION-ENUMERATION-REF></DEFINITION><VALUES><ENUM-VALUE-REF>e-red</ENUM-VALUE-REF></VALUES></ATTRIBUTE-VALUE-ENUMERATION>';
  const object = (id: string, values: string): string =>
    `<SPEC-OBJECT IDENTIFIER="${id}" LAST-CHANGE="2026-01-01T00:00:00Z"><VALUES>${values}</VALUES><TYPE><SPEC-OBJECT-TYPE-REF>t</SPEC-OBJECT-TYPE-REF></TYPE></SPEC-OBJECT>`;
  const foreign = `<?xml version="1.0" encoding="UTF-8"?>
<REQ-IF xmlns="http://www.omg.org/spec/ReqIF/20110401/reqif.xsd" xmlns:xhtml="http://www.w3.org/1999/xhtml" xmlns:ext="urn:other">
<THE-HEADER><REQ-IF-HEADER IDENTIFIER="h"/></THE-HEADER><CORE-CONTENT><REQ-IF-CONTENT>
<DATATYPES><DATATYPE-DEFINITION-STRING IDENTIFIER="dt-s" LONG-NAME="S" MAX-LENGTH="99"/><DATATYPE-DEFINITION-ENUMERATION IDENTIFIER="dt-c" LONG-NAME="Colour"><SPECIFIED-VALUES><ENUM-VALUE IDENTIFIER="e-red" LONG-NAME="red"><PROPERTIES><EMBEDDED-VALUE KEY="0" OTHER-CONTENT=""/></PROPERTIES></ENUM-VALUE></SPECIFIED-VALUES></DATATYPE-DEFINITION-ENUMERATION></DATATYPES>
<SPEC-TYPES><SPEC-OBJECT-TYPE IDENTIFIER="t" LONG-NAME="T"><SPEC-ATTRIBUTES>${attribute('a-t', 'ReqIF.Name')}${attribute('a-x', 'ReqIF.Text')}${attribute('a-o', 'Owner')}${attribute('a-c', 'Colour', 'ENUMERATION', 'dt-c')}</SPEC-ATTRIBUTES></SPEC-OBJECT-TYPE><RELATION-GROUP-TYPE IDENTIFIER="gt" LONG-NAME="G"/></SPEC-TYPES>
<SPEC-OBJECTS>${object('o-1', value('a-t', 'Brake') + value('a-x', 'It shall hold.') + value('a-o', 'Mira &amp; Tomas') + chosen)}${object('o-2', value('a-t', 'Horn') + value('a-x', 'It shall sound.'))}</SPEC-OBJECTS>
<SPEC-RELATIONS><SPEC-RELATION IDENTIFIER="r-1"><SOURCE><SPEC-OBJECT-REF>o-2</SPEC-OBJECT-REF></SOURCE><TARGET><SPEC-OBJECT-REF>o-1</SPEC-OBJECT-REF></TARGET></SPEC-RELATION></SPEC-RELATIONS>
<SPECIFICATIONS><SPECIFICATION IDENTIFIER="s" LONG-NAME="Other"><CHILDREN><SPEC-HIERARCHY IDENTIFIER="p-1"><OBJECT><SPEC-OBJECT-REF>o-1</SPEC-OBJECT-REF></OBJECT><CHILDREN><SPEC-HIERARCHY IDENTIFIER="p-2"><OBJECT><SPEC-OBJECT-REF>o-2</SPEC-OBJECT-REF></OBJECT></SPEC-HIERARCHY></CHILDREN></SPEC-HIERARCHY></CHILDREN></SPECIFICATION></SPECIFICATIONS>
<SPEC-RELATION-GROUPS><RELATION-GROUP IDENTIFIER="g-1"><SPEC-RELATIONS><SPEC-RELATION-REF>r-1</SPEC-RELATION-REF></SPEC-RELATIONS><TYPE><RELATION-GROUP-TYPE-REF>gt</RELATION-GROUP-TYPE-REF></TYPE></RELATION-GROUP></SPEC-RELATION-GROUPS>
</REQ-IF-CONTENT></CORE-CONTENT>
<TOOL-EXTENSIONS><REQ-IF-TOOL-EXTENSION><ext:thing a="1"><ext:inner/></ext:thing></REQ-IF-TOOL-EXTENSION></TOOL-EXTENSIONS></REQ-IF>`;
  const rowsOf = (csv: string): ReqifRow[] =>
    previewRequirements(csv, undefined, { existing: new Map(), levels }).rows.map((r) => ({
      key: r.key,
      under: r.under,
      content: r.content,
      state: 'draft',
      revision: 1,
      updatedAt: '2026-03-01T10:00:00.000Z',
      parents: r.parents,
    }));

  it('is read the same, wherever its text is cut into parts', () => {
    const once = read(foreign);
    expect(once.kept?.extensions.length).toBe(1);
    const cuts = fc.uniqueArray(fc.integer({ min: 1, max: foreign.length - 1 }), { maxLength: 40 });
    fc.assert(
      fc.property(cuts, (list) => {
        const places = [0, ...list.sort((a, b) => a - b), foreign.length];
        const reading = new ReqifReading();
        for (const [i, to] of places.slice(1).entries()) expect(reading.push(foreign.slice(places[i], to))).toBeTrue();
        expect(reading.end()).toEqual(once);
      }),
    );
    const broken = new ReqifReading();
    expect(broken.push('<REQ-IF>')).toBeTrue();
    expect(broken.push('</OTHER>')).toBeFalse();
    expect(broken.push('</REQ-IF>')).toBeFalse();
    expect(broken.end()).toEqual(readReqif('<REQ-IF></OTHER></REQ-IF>'));
  });

  it('comes back with its identifiers, attributes, groups and extensions, and is recognised by them', () => {
    const first = read(foreign);
    const rows = rowsOf(first.csv);
    expect(rows.map(({ key, under, parents }) => [key, under, parents])).toEqual([
      ['REQ-001', null, []],
      ['REQ-002', 'REQ-001', ['REQ-001']],
    ]);
    const out = [...writeReqif({ title: 'Other', key: 'OTH', createdAt: '2026-03-01T10:00:00.000Z', levels, rows, kept: first.kept })].join(
      '',
    );
    for (const part of [
      'IDENTIFIER="o-1"',
      'IDENTIFIER="r-1"',
      'IDENTIFIER="p-2"',
      'IDENTIFIER="g-1"',
      '<ext:thing a="1"><ext:inner/></ext:thing>',
      'THE-VALUE="Mira &amp; Tomas"',
      '<ENUM-VALUE-REF>e-red</ENUM-VALUE-REF>',
      'xmlns:ext="urn:other"',
    ])
      expect(out).toContain(part);
    const known = new Map(Object.entries(first.kept?.objects ?? {}).map(([key, id]) => [id, key]));
    const again = read(out);
    const numbered = readReqif(out, { known, prefix: 'OTH', next: 7 });
    expect('fault' in numbered ? numbered.fault : rowsOf(numbered.csv).map(({ key }) => key)).toEqual(['REQ-001', 'REQ-002']);
    expect(again.kept).toEqual(first.kept);
    const twice = [
      ...writeReqif({ title: 'Other', key: 'OTH', createdAt: '2026-03-01T10:00:00.000Z', levels, rows, kept: again.kept }),
    ].join('');
    expect(twice).toBe(out);
  });

  it('keeps the rules of its format, with and without each optional part; the rules find what breaks them', () => {
    const hash = 'ab'.repeat(32);
    const laidOut = `<p>It <u>shall</u> <s>not</s> <strong>stop</strong>.</p><ul><li>a</li></ul><table><tbody><tr><td>1</td></tr></tbody></table><p><img src="files/${hash}" alt="x" /></p>`;
    const details = { criteria: ['One', 'Two'], source: 'S', risk: 'high', priority: 'low', tags: ['a', 'b'] };
    const full = row(
      2,
      { under: 'BRK-1', parents: ['BRK-1', 'SYS-9'] },
      { html: laidOut, level: 'SIL 2', method: 'test', rationale: 'So', ...details },
    );
    const heading = row(1, {}, { kind: 'heading', title: 'A & B', text: '' });
    const pictures = new Map([[hash, { name: 'a.png', mime: 'image/png' }]]);
    const given = read(foreign.replace('<VALUES>', '<ALTERNATIVE-ID><ALTERNATIVE-ID IDENTIFIER="old-1"/></ALTERNATIVE-ID><VALUES>'));
    expect(given.kept?.alternatives).toEqual({ 'REQ-001': 'old-1' });
    const told = { title: 'B', key: 'BRK', createdAt: '2026-03-01T10:00:00.000Z', levels, rows: [heading, full, row(3)] };
    const write = (more: Partial<Parameters<typeof writeReqif>[0]>): string => [...writeReqif({ ...told, ...more })].join('');
    const back = { rows: rowsOf(given.csv), kept: given.kept };
    for (const more of [{}, { rows: [] }, { levels: [], rows: [heading] }, { pictures }, back, { ...back, pictures }])
      expect(brokenRules(write(more))).toEqual([]);
    // What goes out is known by either identifier when it comes back.
    expect(write(back)).toContain('<ALTERNATIVE-ID><ALTERNATIVE-ID IDENTIFIER="old-1"/></ALTERNATIVE-ID>');
    const elsewhere = readReqif(write(back).replaceAll('o-1', 'new-1'), { known: new Map([['old-1', 'BRK-077']]), prefix: 'BRK', next: 1 });
    expect('fault' in elsewhere ? [] : rowsOf(elsewhere.csv).map(({ key }) => key)).toContain('BRK-077');
    const whole = write({ pictures });
    for (const [rule, from, to] of [
      [1, 'www.omg.org', 'www.other.org'],
      [3, '<TITLE>B</TITLE>', ''],
      [4, 'SPEC-RELATIONS>', 'RELATIONS>'],
      [5, 'IDENTIFIER="_cp-object-BRK-3"', 'IDENTIFIER="_cp-object-BRK-2"'],
      [6, '<SPEC-OBJECT-REF>_cp-object-BRK-1<', '<SPEC-OBJECT-REF>_cp-object-BRK-7<'],
      [7, 'DATATYPE-DEFINITION-BOOLEAN-REF>', 'DATATYPE-DEFINITION-STRING-REF>'],
      [8, '<SPEC-OBJECT-TYPE-REF>_cp-type-requirement</SPEC-OBJECT-TYPE-REF>', ''],
      [9, 'ATTRIBUTE-VALUE-INTEGER', 'ATTRIBUTE-VALUE-REAL'],
      [10, 'MAX-LENGTH="20000"', 'MAX-LENGTH="2"'],
      [11, 'xhtml:ins>', 'xhtml:u>'],
      [12, '<TYPE><SPECIFICATION-TYPE-REF>_cp-type-specification</SPECIFICATION-TYPE-REF></TYPE>', ''],
    ] as [number, string, string][]) {
      expect(whole).toContain(from);
      expect(brokenRules(whole.replaceAll(from, to)).map((said) => Number(said.split(':')[0])))
        .withContext(`${rule} ${from}`)
        .toContain(rule);
    }
  });

  it('gives new objects the next free keys of the specification, and those that are known their own', () => {
    const read2 = readReqif(foreign, { known: new Map([['o-2', 'BRK-004']]), prefix: 'BRK', next: 4 });
    expect('fault' in read2 ? [] : rowsOf(read2.csv).map(({ key }) => key)).toEqual(['BRK-005', 'BRK-004']);
  });

  it('that writes its elements with a prefix is read, and nothing of it is kept', () => {
    const prefixed = foreign.replace(/<(\/?)(?=[A-Z])/g, '<$1r:').replace('xmlns=', 'xmlns:r=');
    const given = read(prefixed);
    expect(given.kept).toBeUndefined();
    expect(rowsOf(given.csv).length).toBe(2);
  });

  it('takes pictures along where it is given their files, and finds them again under their hashes', () => {
    const hash = 'ab'.repeat(32);
    const laidOut = row(1, {}, { text: 'See', html: `<p>See</p><p><img src="files/${hash}" alt="Spring" /></p>` });
    const pictures = new Map([[hash, { name: `${hash}.png`, mime: 'image/png' }]]);
    const out = [...writeReqif({ title: 'B', key: 'BRK', createdAt: '2026-03-01T10:00:00.000Z', levels, rows: [laidOut], pictures })].join(
      '',
    );
    expect(out).toContain(`<xhtml:object data="${hash}.png" type="image/png">Spring</xhtml:object>`);
    const { pictures: names, layouts } = read(out);
    expect(names).toEqual([`${hash}.png`]);
    const [html] = Object.values(layouts);
    expect(withPictures(html, (name) => (name === `${hash}.png` ? hash : undefined))).toBe(laidOut.content.html ?? '');
    expect(withPictures(html, () => undefined)).toBe('<p>See</p><p>[Spring]</p>');
  });

  /** The layout of one text that somebody else's file holds. */
  const layoutOf = (xhtml: string): string | undefined => {
    const html = '<xhtml:div>' + xhtml.replace(/<(\/?)(?=[a-z])/g, '<$1xhtml:') + '</xhtml:div>';
    const file = [...writeReqif({ title: 'B', key: 'BRK', createdAt: '2026-03-01T10:00:00.000Z', levels, rows: [row(1)] })].join('');
    return Object.values(read(file.replace(/<xhtml:div>.*<\/xhtml:div>/s, html)).layouts)[0];
  };

  it('keeps the layout of a text through writing and reading, letter by letter', () => {
    for (const html of [
      '<p>It shall <strong>stop</strong>, <em>whatever</em> comes.</p>',
      '<p>Within:</p><ul><li>2 s &amp; less</li><li>10 m</li></ul>',
      '<table><tbody><tr><th>Load</th><th colspan="2">Limit</th></tr><tr><td>1</td><td>&lt; 4</td><td>N</td></tr></tbody></table>',
      '<pre>if (a)\n    b();</pre>',
      '<p>See <a href="https://example.org/?a=1&#38;b=2">there</a>.</p>',
      '<h3>A</h3><blockquote>B</blockquote><p>C<br />D</p><ol><li>E</li></ol>',
    ]) {
      const laidOut = row(1, {}, { text: plainText(html), html });
      const out = [...writeReqif({ title: 'B', key: 'BRK', createdAt: '2026-03-01T10:00:00.000Z', levels, rows: [laidOut] })].join('');
      const { layouts, csv } = read(out);
      expect(Object.values(layouts)).toEqual([html]);
      expect(rowsOf(csv)[0].content.text).toBe(plainText(html));
    }
  });

  it('takes of other layouts what a text can hold', () => {
    expect(layoutOf('<p>Plain</p><p>lines</p>')).toBeUndefined();
    expect(layoutOf('Words<br/>and more')).toBeUndefined();
    expect(layoutOf('<div><span style="color:red">Red</span> <b>bold</b></div>')).toBe('<p>Red <b>bold</b></p>');
    expect(layoutOf('\n  <h1>Top</h1>\n  <p>It\n   holds</p>\n')).toBe('<h3>Top</h3><p>It holds</p>');
    expect(layoutOf('<div>Before<ul><li><p>one</p><p>two</p></li></ul></div>')).toBe('<p>Before</p><ul><li>one<br />two</li></ul>');
    expect(layoutOf('<p><ins>new</ins><del>old</del><script>bad()</script></p>')).toBe('<p><u>new</u><s>old</s>bad()</p>');
    // An object may hold another form of itself: one picture, the one that can be shown, and its words.
    expect(layoutOf('<p><object data="a.rtf" type="text/rtf"><object data="a.png" type="image/png">Bolt</object></object></p>')).toBe(
      '<p><img src="object:a.png" alt="Bolt" /></p>',
    );
    expect(layoutOf('<p><object data="x&quot; onload=&quot;y.png" type="image/png">"&lt;b&gt;"</object></p>')).toBe(
      '<p><img src="object:x&#34; onload=&#34;y.png" alt="&#34;&#60;b&#62;&#34;" /></p>',
    );
  });
});
