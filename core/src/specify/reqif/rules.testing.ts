import { SaxesParser } from 'saxes';

// The rules of docs/reqif.md, checked a second time over a file: told by their numbers, with what breaks them.

interface Element {
  readonly name: string;
  readonly at: Readonly<Record<string, string>>;
  readonly children: Element[];
  text: string;
}

function elements(xml: string): Element {
  const parser = new SaxesParser();
  const root: Element = { name: '', at: {}, children: [], text: '' };
  const open = [root];
  parser.on('opentag', ({ name, attributes }) => {
    const element: Element = { name, at: attributes as Record<string, string>, children: [], text: '' };
    open[open.length - 1].children.push(element);
    open.push(element);
  });
  parser.on('text', (words) => (open[open.length - 1].text += words));
  parser.on('closetag', () => open.pop());
  parser.write(xml).close();
  return root.children[0];
}

const within = (element: Element): Element[] => element.children.flatMap((child) => [child, ...within(child)]);
const child = (element: Element | undefined, name: string): Element | undefined => element?.children.find((one) => one.name === name);
/** What stands at a path below an element. */
const at = (element: Element | undefined, ...path: string[]): Element | undefined =>
  path.reduce((found, name) => child(found, name), element);

const dateTime = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)?$/;
/** An xsd:ID: a name without a colon. */
const named = /^[A-Za-z_][\w.-]*$/;
const identified =
  /^(DATATYPE-DEFINITION-[A-Z]+|ENUM-VALUE|SPEC-OBJECT-TYPE|SPECIFICATION-TYPE|SPEC-RELATION-TYPE|RELATION-GROUP-TYPE|ATTRIBUTE-DEFINITION-[A-Z]+|SPEC-OBJECT|SPEC-RELATION|SPECIFICATION|SPEC-HIERARCHY|RELATION-GROUP)$/;
const sections = ['DATATYPES', 'SPEC-TYPES', 'SPEC-OBJECTS', 'SPEC-RELATIONS', 'SPECIFICATIONS', 'SPEC-RELATION-GROUPS'];
const inXhtml = new Set(
  'div p span br a strong em b i tt big small sub sup code pre blockquote q cite abbr acronym address dfn kbd samp var ul ol li dl dt dd h1 h2 h3 h4 h5 h6 hr ins del object param table caption thead tbody tr th td'.split(
    ' ',
  ),
);
const kindOf = (name: string): string => /-([A-Z]+)(-REF)?$/.exec(name)?.[1] ?? '';

/** The rules that a file breaks, by their numbers, with what breaks them. Times of last changes are asked only of what Cord Proof wrote itself. */
export function brokenRules(xml: string): string[] {
  const broken: string[] = [];
  const check = (rule: number, holds: boolean, what: string): void => {
    if (!holds) broken.push(`${rule}: ${what}`);
  };
  const root = elements(xml);
  const all = [root, ...within(root)];
  const xhtmlPrefix = 'xhtml:';
  check(1, root.name === 'REQ-IF' && root.at['xmlns'] === 'http://www.omg.org/spec/ReqIF/20110401/reqif.xsd', root.name);
  check(1, root.at['xmlns:xhtml'] === 'http://www.w3.org/1999/xhtml', 'xmlns:xhtml');
  const parts = root.children.map(({ name }) => name);
  check(2, parts.slice(0, 2).join() === 'THE-HEADER,CORE-CONTENT' && ['', 'TOOL-EXTENSIONS'].includes(parts.slice(2).join()), parts.join());
  const header = at(root, 'THE-HEADER', 'REQ-IF-HEADER');
  for (const name of ['CREATION-TIME', 'REQ-IF-TOOL-ID', 'REQ-IF-VERSION', 'SOURCE-TOOL-ID', 'TITLE'])
    check(3, header?.children.filter((one) => one.name === name).length === 1, name);
  check(3, dateTime.test(child(header, 'CREATION-TIME')?.text ?? ''), 'CREATION-TIME');
  const content = at(root, 'CORE-CONTENT', 'REQ-IF-CONTENT');
  const found = content?.children.map(({ name }) => name) ?? [];
  check(4, found.every((name) => sections.includes(name)) && new Set(found).size === found.length, found.join());

  const byId = new Map<string, Element>();
  for (const element of [...all.filter(({ name }) => identified.test(name)), ...(header ? [header] : [])]) {
    const id = element.at['IDENTIFIER'] ?? '';
    check(5, named.test(id) && !byId.has(id), `${element.name} ${id}`);
    byId.set(id, element);
    if (id.startsWith('_cp-') && element !== header) check(5, dateTime.test(element.at['LAST-CHANGE'] ?? ''), `${id} LAST-CHANGE`);
  }
  for (const { name, text } of all) {
    if (!name.endsWith('-REF')) continue;
    const target = byId.get(text.trim());
    check(6, target?.name === name.slice(0, -'-REF'.length), `${name} ${text.trim()}`);
  }
  for (const definition of all.filter(({ name }) => /^ATTRIBUTE-DEFINITION-[A-Z]+$/.test(name))) {
    const type = child(definition, 'TYPE')?.children.at(0);
    check(7, type?.name === `DATATYPE-DEFINITION-${kindOf(definition.name)}-REF`, definition.at['IDENTIFIER']);
    if (kindOf(definition.name) === 'ENUMERATION')
      check(7, /^(true|false)$/.test(definition.at['MULTI-VALUED'] ?? 'false'), 'MULTI-VALUED');
  }
  for (const object of all.filter(({ name }) => name === 'SPEC-OBJECT')) {
    const key = object.at['IDENTIFIER'];
    const type = byId.get(at(object, 'TYPE', 'SPEC-OBJECT-TYPE-REF')?.text ?? '');
    check(8, type !== undefined, `${key} TYPE`);
    check(
      8,
      object.children.every(({ name }) => ['ALTERNATIVE-ID', 'VALUES', 'TYPE'].includes(name)),
      `${key}`,
    );
    const alternative = at(object, 'ALTERNATIVE-ID');
    if (alternative)
      check(
        8,
        alternative.children.length <= 1 && alternative.children.every(({ name }) => name === 'ALTERNATIVE-ID'),
        `${key} ALTERNATIVE-ID`,
      );
    const mine = new Set(child(type, 'SPEC-ATTRIBUTES')?.children.map((one) => one.at['IDENTIFIER']));
    const seen = new Set<string>();
    for (const value of child(object, 'VALUES')?.children ?? []) {
      const reference = child(value, 'DEFINITION')?.children.at(0);
      const of = reference?.text ?? '';
      check(9, reference?.name === `ATTRIBUTE-DEFINITION-${kindOf(value.name)}-REF` && mine.has(of) && !seen.has(of), `${key} ${of}`);
      seen.add(of);
      const datatype = byId.get(child(byId.get(of), 'TYPE')?.children.at(0)?.text ?? '');
      const given = value.at['THE-VALUE'] ?? '';
      const range = [Number(datatype?.at['MIN'] ?? -Infinity), Number(datatype?.at['MAX'] ?? Infinity)];
      if (kindOf(value.name) === 'STRING') check(10, given.length <= Number(datatype?.at['MAX-LENGTH'] ?? Infinity), `${key} ${of} length`);
      if (kindOf(value.name) === 'BOOLEAN') check(10, /^(true|false)$/.test(given), `${key} ${of} ${given}`);
      if (kindOf(value.name) === 'INTEGER')
        check(10, /^-?\d+$/.test(given) && Number(given) >= range[0] && Number(given) <= range[1], `${key} ${of} ${given}`);
      if (kindOf(value.name) === 'ENUMERATION') {
        const chosen = child(value, 'VALUES')?.children.map(({ text }) => text) ?? [];
        const values = new Set(child(datatype, 'SPECIFIED-VALUES')?.children.map((one) => one.at['IDENTIFIER']));
        check(
          10,
          chosen.every((one) => values.has(one)) && (chosen.length < 2 || byId.get(of)?.at['MULTI-VALUED'] === 'true'),
          `${key} ${of}`,
        );
      }
      if (kindOf(value.name) === 'XHTML') {
        const [body, ...more] = child(value, 'THE-VALUE')?.children ?? [];
        check(11, body?.name === `${xhtmlPrefix}div` && !more.length, `${key} ${of}`);
        for (const one of body ? within(body) : []) {
          check(11, one.name.startsWith(xhtmlPrefix) && inXhtml.has(one.name.slice(xhtmlPrefix.length)), `${key} <${one.name}>`);
          if (one.name === `${xhtmlPrefix}object`) check(11, Boolean(one.at['data'] && one.at['type']), `${key} object`);
        }
      }
    }
  }
  for (const relation of all.filter(({ name }) => name === 'SPEC-RELATION'))
    for (const end of ['SOURCE', 'TARGET'])
      check(12, at(relation, end, 'SPEC-OBJECT-REF') !== undefined, `${relation.at['IDENTIFIER']} ${end}`);
  for (const relation of all.filter(
    ({ name, at: a }) => /^SPEC-RELATION$|^SPECIFICATION$/.test(name) && a['IDENTIFIER'].startsWith('_cp-'),
  ))
    check(12, child(relation, 'TYPE')?.children.length === 1, `${relation.at['IDENTIFIER']} TYPE`);
  for (const place of all.filter(({ name }) => name === 'SPEC-HIERARCHY'))
    check(12, at(place, 'OBJECT', 'SPEC-OBJECT-REF') !== undefined, `${place.at['IDENTIFIER']} OBJECT`);
  return broken;
}
