import { escapeHtml, groupBy } from '../../base';
import { verificationMethods, type RequirementContent } from '../requirement';

/** A requirement as it goes out: with its place and what it comes from. */
export interface ReqifRow {
  readonly key: string;
  readonly under: string | null;
  readonly content: RequirementContent;
  readonly state: string;
  readonly revision: number;
  readonly updatedAt: string;
  readonly parents: readonly string[];
}

export interface ReqifDocument {
  readonly title: string;
  /** The key of the specification. */
  readonly key: string;
  readonly createdAt: string;
  readonly levels: readonly string[];
  /** In reading order: each below what it stands under. */
  readonly rows: readonly ReqifRow[];
}

const id = (kind: string, name: string): string => `_cp-${kind}-${name.replace(/[^A-Za-z0-9._-]/g, '-')}`;
const text = escapeHtml;

/** Attributes of a requirement: long name, type, and the value of one. Names that begin with `ReqIF.` are those that the exchange trade agreed on. */
const strings: readonly (readonly [string, (row: ReqifRow) => string])[] = [
  ['ReqIF.ForeignID', (r) => r.key],
  ['ReqIF.Name', (r) => (r.content.kind === 'heading' ? '' : r.content.title)],
  ['ReqIF.ChapterName', (r) => (r.content.kind === 'heading' ? r.content.title : '')],
  ['Rationale', (r) => r.content.rationale],
  ['Why not in code', (r) => r.content.notInCodeRationale],
  ['State', (r) => r.state],
];
const flags: readonly (readonly [string, (row: ReqifRow) => boolean])[] = [
  ['Top level', (r) => r.content.topLevel],
  ['Derived', (r) => r.content.derived],
  ['Not in code', (r) => r.content.notInCode],
];
const kinds = ['requirement', 'heading', 'note'];

/** A value within XHTML: its own layout, or a paragraph a line. */
const xhtml = ({ text: words, html }: RequirementContent): string =>
  (
    html ??
    words
      .split('\n')
      .map((line) => `<p>${text(line)}</p>`)
      .join('')
  )
    // Pictures stay where they are; what stands for them says which.
    .replace(/<img [^>]*?alt="([^"]*)"[^>]*>|<img [^>]*>/g, (_, alt: string | undefined) => text(alt ? `[${alt}]` : '[picture]'))
    .replace(/<(\/?)(?=[a-z])/g, '<$1xhtml:');

/** Writes ReqIF 1.2 (structure recalled): one specification, its hierarchy, and the traces to parents as relations. */
export function* writeReqif({ title, key, createdAt, levels, rows }: ReqifDocument): Generator<string> {
  const at = `LAST-CHANGE="${createdAt}"`;
  const enumeration = (name: string, values: readonly string[]): string =>
    `<DATATYPE-DEFINITION-ENUMERATION IDENTIFIER="${id('type', name)}" LONG-NAME="${name}" ${at}><SPECIFIED-VALUES>${values
      .map(
        (value, i) =>
          `<ENUM-VALUE IDENTIFIER="${id(name, value)}" LONG-NAME="${text(value)}" ${at}><PROPERTIES><EMBEDDED-VALUE KEY="${i}" OTHER-CONTENT=""/></PROPERTIES></ENUM-VALUE>`,
      )
      .join('')}</SPECIFIED-VALUES></DATATYPE-DEFINITION-ENUMERATION>`;
  yield `<?xml version="1.0" encoding="UTF-8"?>
<REQ-IF xmlns="http://www.omg.org/spec/ReqIF/20110401/reqif.xsd" xmlns:xhtml="http://www.w3.org/1999/xhtml" xml:lang="en">
<THE-HEADER><REQ-IF-HEADER IDENTIFIER="${id('header', key)}"><CREATION-TIME>${createdAt}</CREATION-TIME><REQ-IF-TOOL-ID>Cord Proof</REQ-IF-TOOL-ID><REQ-IF-VERSION>1.2</REQ-IF-VERSION><SOURCE-TOOL-ID>Cord Proof</SOURCE-TOOL-ID><TITLE>${text(title)}</TITLE></REQ-IF-HEADER></THE-HEADER>
<CORE-CONTENT><REQ-IF-CONTENT>
<DATATYPES><DATATYPE-DEFINITION-STRING IDENTIFIER="${id('type', 'string')}" LONG-NAME="String" MAX-LENGTH="20000" ${at}/><DATATYPE-DEFINITION-BOOLEAN IDENTIFIER="${id('type', 'boolean')}" LONG-NAME="Boolean" ${at}/><DATATYPE-DEFINITION-INTEGER IDENTIFIER="${id('type', 'integer')}" LONG-NAME="Integer" MIN="0" MAX="2147483647" ${at}/><DATATYPE-DEFINITION-XHTML IDENTIFIER="${id('type', 'xhtml')}" LONG-NAME="XHTML" ${at}/>${enumeration('Kind', kinds)}${enumeration('Level', levels)}${enumeration('Method', verificationMethods)}</DATATYPES>
<SPEC-TYPES><SPEC-OBJECT-TYPE IDENTIFIER="${id('type', 'requirement')}" LONG-NAME="Requirement" ${at}><SPEC-ATTRIBUTES>`;
  const attribute = (type: string, name: string, of: string): string =>
    `<ATTRIBUTE-DEFINITION-${type} IDENTIFIER="${id('attribute', name)}" LONG-NAME="${text(name)}" ${at}${type === 'ENUMERATION' ? ' MULTI-VALUED="false"' : ''}><TYPE><DATATYPE-DEFINITION-${type}-REF>${id('type', of)}</DATATYPE-DEFINITION-${type}-REF></TYPE></ATTRIBUTE-DEFINITION-${type}>`;
  yield [
    ...strings.map(([name]) => attribute('STRING', name, 'string')),
    attribute('XHTML', 'ReqIF.Text', 'xhtml'),
    ...flags.map(([name]) => attribute('BOOLEAN', name, 'boolean')),
    attribute('INTEGER', 'Revision', 'integer'),
    ...['Kind', 'Level', 'Method'].map((name) => attribute('ENUMERATION', name, name)),
  ].join('');
  yield `</SPEC-ATTRIBUTES></SPEC-OBJECT-TYPE><SPECIFICATION-TYPE IDENTIFIER="${id('type', 'specification')}" LONG-NAME="Specification" ${at}/><SPEC-RELATION-TYPE IDENTIFIER="${id('type', 'parent')}" LONG-NAME="is derived from" ${at}/></SPEC-TYPES>
<SPEC-OBJECTS>`;
  const value = (type: string, name: string, given: string): string =>
    `<ATTRIBUTE-VALUE-${type} THE-VALUE="${text(given).replace(/\n/g, '&#10;')}"><DEFINITION><ATTRIBUTE-DEFINITION-${type}-REF>${id('attribute', name)}</ATTRIBUTE-DEFINITION-${type}-REF></DEFINITION></ATTRIBUTE-VALUE-${type}>`;
  const chosen = (name: string, given: string): string =>
    given
      ? `<ATTRIBUTE-VALUE-ENUMERATION><DEFINITION><ATTRIBUTE-DEFINITION-ENUMERATION-REF>${id('attribute', name)}</ATTRIBUTE-DEFINITION-ENUMERATION-REF></DEFINITION><VALUES><ENUM-VALUE-REF>${id(name, given)}</ENUM-VALUE-REF></VALUES></ATTRIBUTE-VALUE-ENUMERATION>`
      : '';
  for (const row of rows)
    yield `
<SPEC-OBJECT IDENTIFIER="${id('object', row.key)}" LAST-CHANGE="${row.updatedAt}"><VALUES>${strings
      .map(([name, of]) => [name, of(row)] as const)
      .flatMap(([name, given]) => (given ? value('STRING', name, given) : []))
      .join(
        '',
      )}${flags.map(([name, of]) => value('BOOLEAN', name, String(of(row)))).join('')}${value('INTEGER', 'Revision', String(row.revision))}${chosen('Kind', row.content.kind)}${chosen('Level', row.content.level)}${chosen('Method', row.content.method)}${
      row.content.text
        ? `<ATTRIBUTE-VALUE-XHTML><DEFINITION><ATTRIBUTE-DEFINITION-XHTML-REF>${id('attribute', 'ReqIF.Text')}</ATTRIBUTE-DEFINITION-XHTML-REF></DEFINITION><THE-VALUE><xhtml:div>${xhtml(row.content)}</xhtml:div></THE-VALUE></ATTRIBUTE-VALUE-XHTML>`
        : ''
    }</VALUES><TYPE><SPEC-OBJECT-TYPE-REF>${id('type', 'requirement')}</SPEC-OBJECT-TYPE-REF></TYPE></SPEC-OBJECT>`;
  yield '</SPEC-OBJECTS>\n<SPEC-RELATIONS>';
  const known = new Set(rows.map((row) => row.key));
  for (const row of rows)
    for (const parent of row.parents)
      // What stands in another specification is another document’s: a relation to it would dangle.
      if (known.has(parent))
        yield `<SPEC-RELATION IDENTIFIER="${id('relation', `${row.key}-${parent}`)}" ${at}><SOURCE><SPEC-OBJECT-REF>${id('object', row.key)}</SPEC-OBJECT-REF></SOURCE><TARGET><SPEC-OBJECT-REF>${id('object', parent)}</SPEC-OBJECT-REF></TARGET><TYPE><SPEC-RELATION-TYPE-REF>${id('type', 'parent')}</SPEC-RELATION-TYPE-REF></TYPE></SPEC-RELATION>`;
  yield `</SPEC-RELATIONS>
<SPECIFICATIONS><SPECIFICATION IDENTIFIER="${id('specification', key)}" LONG-NAME="${text(title)}" ${at}><TYPE><SPECIFICATION-TYPE-REF>${id('type', 'specification')}</SPECIFICATION-TYPE-REF></TYPE><CHILDREN>`;
  const below = groupBy(rows, ({ under }) => (under !== null && known.has(under) ? under : ''));
  // A stack of its own: a tree may be deeper than the machine’s.
  const open: { rows: readonly ReqifRow[]; at: number }[] = [{ rows: below.get('') ?? [], at: 0 }];
  while (open.length) {
    const top = open[open.length - 1];
    const row = top.rows.at(top.at++);
    if (!row) {
      open.pop();
      if (open.length) yield '</CHILDREN></SPEC-HIERARCHY>';
      continue;
    }
    yield `<SPEC-HIERARCHY IDENTIFIER="${id('place', row.key)}" ${at}><OBJECT><SPEC-OBJECT-REF>${id('object', row.key)}</SPEC-OBJECT-REF></OBJECT>`;
    const children = below.get(row.key);
    if (children) {
      yield '<CHILDREN>';
      open.push({ rows: children, at: 0 });
    } else yield '</SPEC-HIERARCHY>';
  }
  yield '</CHILDREN></SPECIFICATION></SPECIFICATIONS>\n</REQ-IF-CONTENT></CORE-CONTENT>\n</REQ-IF>\n';
}
