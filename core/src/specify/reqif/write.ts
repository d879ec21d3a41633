import { escapeHtml, groupBy } from '../../base';
import { detailsOf, verificationMethods, type RequirementContent } from '../requirement';
import type { ReqifKept } from './kept';

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
  /** What another tool's file held beside: it goes out as it came. */
  readonly kept?: ReqifKept | undefined;
  /** Pictures as they are named in an archive, by their hashes; without one what they show stands in their place. */
  readonly pictures?: ReadonlyMap<string, { readonly name: string; readonly mime: string }>;
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
  ['Acceptance criteria', (r) => detailsOf(r.content).criteria.join('\n')],
  ['Source', (r) => r.content.source ?? ''],
  ['Risk', (r) => r.content.risk ?? ''],
  ['Priority', (r) => r.content.priority ?? ''],
  ['Tags', (r) => detailsOf(r.content).tags.join('; ')],
];
const flags: readonly (readonly [string, (row: ReqifRow) => boolean])[] = [
  ['Top level', (r) => r.content.topLevel],
  ['Derived', (r) => r.content.derived],
  ['Not in code', (r) => r.content.notInCode],
];
const kinds = ['requirement', 'heading', 'note'];

/** A value within XHTML: its own layout, or a paragraph a line. */
const xhtml = ({ text: words, html }: RequirementContent, pictures: ReqifDocument['pictures']): string =>
  (
    html ??
    words
      .split('\n')
      .map((line) => `<p>${text(line)}</p>`)
      .join('')
  )
    .replace(/<img [^>]*>/g, (img) => {
      const hash = /src="files\/([0-9a-f]{64})"/.exec(img)?.[1] ?? '';
      const alt = /alt="([^"]*)"/.exec(img)?.[1] ?? '';
      const file = pictures?.get(hash);
      // Without its file a picture stays where it is; what stands for it says which.
      return file ? `<object data="${text(file.name)}" type="${file.mime}">${alt || 'picture'}</object>` : alt ? `[${alt}]` : '[picture]';
    })
    // What an exchange has instead: read back, they are the same.
    .replace(/<(\/?)u>/g, '<$1ins>')
    .replace(/<(\/?)s>/g, '<$1del>')
    .replace(/<(\/?)(?=[a-z])/g, '<$1xhtml:');

/** Writes ReqIF 1.2 (structure recalled): one specification, its hierarchy, and the traces to parents as relations. */
export function* writeReqif({ title, key, createdAt, levels, rows, kept, pictures }: ReqifDocument): Generator<string> {
  const at = `LAST-CHANGE="${createdAt}"`;
  const enumeration = (name: string, values: readonly string[]): string =>
    `<DATATYPE-DEFINITION-ENUMERATION IDENTIFIER="${id('type', name)}" LONG-NAME="${name}" ${at}><SPECIFIED-VALUES>${values
      .map(
        (value, i) =>
          `<ENUM-VALUE IDENTIFIER="${id(name, value)}" LONG-NAME="${text(value)}" ${at}><PROPERTIES><EMBEDDED-VALUE KEY="${i}" OTHER-CONTENT=""/></PROPERTIES></ENUM-VALUE>`,
      )
      .join('')}</SPECIFIED-VALUES></DATATYPE-DEFINITION-ENUMERATION>`;
  yield `<?xml version="1.0" encoding="UTF-8"?>
<REQ-IF xmlns="http://www.omg.org/spec/ReqIF/20110401/reqif.xsd" xmlns:xhtml="http://www.w3.org/1999/xhtml"${Object.entries(
    kept?.namespaces ?? {},
  )
    .map(([prefix, uri]) => ` xmlns:${prefix}="${text(uri)}"`)
    .join('')} xml:lang="en">
<THE-HEADER><REQ-IF-HEADER IDENTIFIER="${id('header', key)}"><CREATION-TIME>${createdAt}</CREATION-TIME><REQ-IF-TOOL-ID>Cord Proof</REQ-IF-TOOL-ID><REQ-IF-VERSION>1.2</REQ-IF-VERSION><SOURCE-TOOL-ID>Cord Proof</SOURCE-TOOL-ID><TITLE>${text(title)}</TITLE></REQ-IF-HEADER></THE-HEADER>
<CORE-CONTENT><REQ-IF-CONTENT>
<DATATYPES><DATATYPE-DEFINITION-STRING IDENTIFIER="${id('type', 'string')}" LONG-NAME="String" MAX-LENGTH="20000" ${at}/><DATATYPE-DEFINITION-BOOLEAN IDENTIFIER="${id('type', 'boolean')}" LONG-NAME="Boolean" ${at}/><DATATYPE-DEFINITION-INTEGER IDENTIFIER="${id('type', 'integer')}" LONG-NAME="Integer" MIN="0" MAX="2147483647" ${at}/><DATATYPE-DEFINITION-XHTML IDENTIFIER="${id('type', 'xhtml')}" LONG-NAME="XHTML" ${at}/>${enumeration('Kind', kinds)}${enumeration('Level', levels)}${enumeration('Method', verificationMethods)}${(kept?.datatypes ?? []).join('')}</DATATYPES>
<SPEC-TYPES><SPEC-OBJECT-TYPE IDENTIFIER="${id('type', 'requirement')}" LONG-NAME="Requirement" ${at}><SPEC-ATTRIBUTES>`;
  const attribute = (type: string, name: string, of: string): string =>
    `<ATTRIBUTE-DEFINITION-${type} IDENTIFIER="${id('attribute', name)}" LONG-NAME="${text(name)}" ${at}${type === 'ENUMERATION' ? ' MULTI-VALUED="false"' : ''}><TYPE><DATATYPE-DEFINITION-${type}-REF>${id('type', of)}</DATATYPE-DEFINITION-${type}-REF></TYPE></ATTRIBUTE-DEFINITION-${type}>`;
  yield [
    ...strings.map(([name]) => attribute('STRING', name, 'string')),
    attribute('XHTML', 'ReqIF.Text', 'xhtml'),
    ...flags.map(([name]) => attribute('BOOLEAN', name, 'boolean')),
    attribute('INTEGER', 'Revision', 'integer'),
    ...['Kind', 'Level', 'Method'].map((name) => attribute('ENUMERATION', name, name)),
    ...(kept?.attributes ?? []),
  ].join('');
  yield `</SPEC-ATTRIBUTES></SPEC-OBJECT-TYPE><SPECIFICATION-TYPE IDENTIFIER="${id('type', 'specification')}" LONG-NAME="Specification" ${at}/><SPEC-RELATION-TYPE IDENTIFIER="${id('type', 'parent')}" LONG-NAME="is derived from" ${at}/>${(kept?.groupTypes ?? []).join('')}</SPEC-TYPES>
<SPEC-OBJECTS>`;
  const alternative = (of: string): string => {
    const said = kept?.alternatives?.[of];
    return said ? `<ALTERNATIVE-ID><ALTERNATIVE-ID IDENTIFIER="${text(said)}"/></ALTERNATIVE-ID>` : '';
  };
  const objectId = (of: string): string => kept?.objects[of] ?? id('object', of);
  const value = (type: string, name: string, given: string): string =>
    `<ATTRIBUTE-VALUE-${type} THE-VALUE="${text(given).replace(/\n/g, '&#10;')}"><DEFINITION><ATTRIBUTE-DEFINITION-${type}-REF>${id('attribute', name)}</ATTRIBUTE-DEFINITION-${type}-REF></DEFINITION></ATTRIBUTE-VALUE-${type}>`;
  const chosen = (name: string, given: string): string =>
    given
      ? `<ATTRIBUTE-VALUE-ENUMERATION><DEFINITION><ATTRIBUTE-DEFINITION-ENUMERATION-REF>${id('attribute', name)}</ATTRIBUTE-DEFINITION-ENUMERATION-REF></DEFINITION><VALUES><ENUM-VALUE-REF>${id(name, given)}</ENUM-VALUE-REF></VALUES></ATTRIBUTE-VALUE-ENUMERATION>`
      : '';
  for (const row of rows)
    yield `
<SPEC-OBJECT IDENTIFIER="${text(objectId(row.key))}" LAST-CHANGE="${row.updatedAt}">${alternative(row.key)}<VALUES>${strings
      .map(([name, of]) => [name, of(row)] as const)
      .flatMap(([name, given]) => (given ? value('STRING', name, given) : []))
      .join(
        '',
      )}${flags.map(([name, of]) => value('BOOLEAN', name, String(of(row)))).join('')}${value('INTEGER', 'Revision', String(row.revision))}${chosen('Kind', row.content.kind)}${chosen('Level', row.content.level)}${chosen('Method', row.content.method)}${
      row.content.text
        ? `<ATTRIBUTE-VALUE-XHTML><DEFINITION><ATTRIBUTE-DEFINITION-XHTML-REF>${id('attribute', 'ReqIF.Text')}</ATTRIBUTE-DEFINITION-XHTML-REF></DEFINITION><THE-VALUE><xhtml:div>${xhtml(row.content, pictures)}</xhtml:div></THE-VALUE></ATTRIBUTE-VALUE-XHTML>`
        : ''
    }${(kept?.values[row.key] ?? []).join('')}</VALUES><TYPE><SPEC-OBJECT-TYPE-REF>${id('type', 'requirement')}</SPEC-OBJECT-TYPE-REF></TYPE></SPEC-OBJECT>`;
  yield '</SPEC-OBJECTS>\n<SPEC-RELATIONS>';
  const known = new Set(rows.map((row) => row.key));
  for (const row of rows)
    for (const parent of row.parents)
      // What stands in another specification is another document’s: a relation to it would dangle.
      if (known.has(parent))
        yield `<SPEC-RELATION IDENTIFIER="${text(kept?.relations[`${row.key} ${parent}`] ?? id('relation', `${row.key}-${parent}`))}" ${at}><SOURCE><SPEC-OBJECT-REF>${text(objectId(row.key))}</SPEC-OBJECT-REF></SOURCE><TARGET><SPEC-OBJECT-REF>${text(objectId(parent))}</SPEC-OBJECT-REF></TARGET><TYPE><SPEC-RELATION-TYPE-REF>${id('type', 'parent')}</SPEC-RELATION-TYPE-REF></TYPE></SPEC-RELATION>`;
  yield `</SPEC-RELATIONS>
<SPECIFICATIONS><SPECIFICATION IDENTIFIER="${text(kept?.specification || id('specification', key))}" LONG-NAME="${text(title)}" ${at}><TYPE><SPECIFICATION-TYPE-REF>${id('type', 'specification')}</SPECIFICATION-TYPE-REF></TYPE><CHILDREN>`;
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
    yield `<SPEC-HIERARCHY IDENTIFIER="${text(kept?.places[row.key] ?? id('place', row.key))}" ${at}><OBJECT><SPEC-OBJECT-REF>${text(objectId(row.key))}</SPEC-OBJECT-REF></OBJECT>`;
    const children = below.get(row.key);
    if (children) {
      yield '<CHILDREN>';
      open.push({ rows: children, at: 0 });
    } else yield '</SPEC-HIERARCHY>';
  }
  const groups = kept?.groups.length ? `<SPEC-RELATION-GROUPS>${kept.groups.join('')}</SPEC-RELATION-GROUPS>` : '';
  const extensions = kept?.extensions.length ? `\n<TOOL-EXTENSIONS>${kept.extensions.join('')}</TOOL-EXTENSIONS>` : '';
  yield `</CHILDREN></SPECIFICATION></SPECIFICATIONS>${groups}\n</REQ-IF-CONTENT></CORE-CONTENT>${extensions}\n</REQ-IF>\n`;
}
