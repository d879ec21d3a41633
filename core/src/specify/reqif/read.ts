import { SaxesParser } from 'saxes';
import { compareKeys, isKey, plainText, writeCsv } from '../../base';
import { ownAttributes, type ReqifKept } from './kept';
import { Layout } from './layout';

/** What a ReqIF file holds as a table, or why it cannot be read, with the line. */
export type ReadReqif =
  | {
      readonly csv: string;
      readonly specifications: readonly string[];
      /** What of it has no place here; nothing where the file writes its elements with a prefix. */
      readonly kept: ReqifKept | undefined;
      /** Texts that are laid out, by key: as HTML, their pictures as the file names them (see `withPictures`). */
      readonly layouts: Readonly<Record<string, string>>;
      /** The names of the pictures in them. */
      readonly pictures: readonly string[];
    }
  | { readonly fault: string };

/** Which key an object has here already, by its identifier; and the keys that new ones get. */
export interface ReqifKeys {
  readonly known: ReadonlyMap<string, string>;
  readonly prefix: string;
  readonly next: number;
}
const freshKeys: ReqifKeys = { known: new Map(), prefix: 'REQ', next: 1 };

interface Place {
  readonly id: string;
  readonly object: string;
  readonly under: string | null;
}
interface ReqObject {
  readonly values: Map<string, string>;
  /** The values as they stand in the file, by the definition of each. */
  readonly raw: Map<string, string>;
  /** The layout of those that have one. */
  readonly layouts: Map<string, Layout>;
}
const noObject = (): ReqObject => ({ values: new Map(), raw: new Map(), layouts: new Map() });

class Unreadable extends Error {}

const mostObjects = 200_000;

/** What is collected while a file is read: names by their identifiers, objects, their places and relations. */
class Collected {
  readonly names = new Map<string, string>();
  readonly objects = new Map<string, ReqObject>();
  readonly places: Place[] = [];
  readonly relations: { id: string; source: string; target: string }[] = [];
  readonly specifications: string[] = [];
  specification = '';
  readonly namespaces: Record<string, string> = {};
  prefixed = false;
  readonly datatypes = new Map<string, string>();
  readonly attributes = new Map<string, string>();
  readonly groupTypes: string[] = [];
  readonly groups: string[] = [];
  readonly extensions: string[] = [];
}

/** Elements that are kept as they stand. */
const rawOf = (name: string): 'datatype' | 'attribute' | 'value' | 'groupType' | 'group' | 'extension' | undefined =>
  name.startsWith('DATATYPE-DEFINITION-') && !name.endsWith('-REF')
    ? 'datatype'
    : name.startsWith('ATTRIBUTE-DEFINITION-') && !name.endsWith('-REF')
      ? 'attribute'
      : name.startsWith('ATTRIBUTE-VALUE-')
        ? 'value'
        : (
            {
              'RELATION-GROUP-TYPE': 'groupType',
              'RELATION-GROUP': 'group',
              'SPEC-RELATION-GROUP': 'group',
              'REQ-IF-TOOL-EXTENSION': 'extension',
            } as const
          )[name];

/** Reads ReqIF 1.x (structure recalled) from its text: a row an object, a column an attribute by its long name, in reading order. */
function collect(xml: string): Collected {
  const found = new Collected();
  const parser = new SaxesParser();
  const path: string[] = [];
  const plain = (name: string): string => name.replace(/^.*:/, '');
  let object: ReqObject | undefined;
  let objectId = '';
  let value: { attribute: string; text: string; words: string | undefined; layout?: Layout } | undefined;
  let relation: { id: string; source: string; target: string } | undefined;
  const hierarchy: { id: string; object: string }[] = [];
  /** Elements that are kept, from the outside in: where each began. */
  const raw: { name: string; from: number; id: string }[] = [];
  let text = '';
  parser.on('doctype', () => {
    throw new Unreadable(`Line ${parser.line}: the document declares a type or entities of its own; such are not read.`);
  });
  parser.on('error', (error) => {
    throw new Unreadable(`The XML cannot be read: ${error.message}`);
  });
  /** An element that is kept ends: what it was, goes where it belongs. Inside of another that is kept it is part of that. */
  const keepRaw = (name: string): void => {
    const top = raw.at(-1);
    if (top?.name !== name) return;
    raw.pop();
    const whole = xml.slice(top.from, parser.position);
    const kind = rawOf(name);
    if (raw.some((outer) => rawOf(outer.name) === 'extension')) return;
    if (kind === 'datatype') found.datatypes.set(top.id, whole);
    else if (kind === 'attribute') found.attributes.set(top.id, whole);
    else if (kind === 'value' && object && value?.attribute) object.raw.set(value.attribute, whole);
    else if (kind === 'groupType') found.groupTypes.push(whole);
    else if (kind === 'group') found.groups.push(whole);
    else if (kind === 'extension') found.extensions.push(whole);
  };
  parser.on('opentag', ({ name: full, attributes }) => {
    const name = plain(full);
    const a = attributes as Record<string, string>;
    path.push(name);
    if (path.length === 1) {
      found.prefixed = full.includes(':');
      for (const [attribute, uri] of Object.entries(a)) {
        const prefix = /^xmlns:(.+)$/.exec(attribute)?.[1];
        if (prefix && prefix !== 'xhtml') found.namespaces[prefix] = uri;
      }
    }
    // A tag cannot hold an opening bracket but its own.
    if (rawOf(name)) raw.push({ name, from: xml.lastIndexOf('<', parser.position - 1), id: a['IDENTIFIER'] ?? '' });
    if (path.length > 300) throw new Unreadable(`Line ${parser.line}: the document is nested too deeply.`);
    text = '';
    const identifier = a['IDENTIFIER'] ?? '';
    if (a['LONG-NAME'] !== undefined) found.names.set(identifier, a['LONG-NAME']);
    if (value?.words !== undefined) value.layout?.begin(name.toLowerCase(), a);
    if (name === 'SPECIFICATION') {
      found.specifications.push(a['LONG-NAME'] ?? identifier);
      found.specification ||= identifier;
    } else if (name === 'SPEC-OBJECT') {
      objectId = identifier;
      object = noObject();
      if (found.objects.size >= mostObjects) throw new Unreadable(`The file has more than ${mostObjects.toLocaleString('en')} objects.`);
      if (!identifier || found.objects.has(identifier))
        throw new Unreadable(`Line ${parser.line}: an object has no identifier of its own.`);
    } else if (name.startsWith('ATTRIBUTE-VALUE-') && object) value = { attribute: '', text: a['THE-VALUE'] ?? '', words: undefined };
    else if (name === 'THE-VALUE' && value) {
      value.words = '';
      value.layout = new Layout();
    } else if (name === 'br' && value?.words !== undefined) value.words += '\n';
    else if (name === 'SPEC-RELATION') relation = { id: identifier, source: '', target: '' };
    else if (name === 'SPEC-HIERARCHY') hierarchy.push({ id: identifier, object: '' });
  });
  parser.on('text', (words) => {
    text += words;
    if (value?.words === undefined) return;
    value.words += words.replace(/\s+/g, ' ');
    value.layout?.text(words);
  });
  parser.on('closetag', ({ name: full }) => {
    const name = plain(full);
    path.pop();
    keepRaw(name);
    const said = text.trim();
    text = '';
    if (name === 'SPEC-OBJECT' && object) {
      found.objects.set(objectId, object);
      object = undefined;
    } else if (name.startsWith('ATTRIBUTE-DEFINITION-') && name.endsWith('-REF') && value) value.attribute = said;
    else if (name === 'ENUM-VALUE-REF' && value) value.text = value.text ? `${value.text}\n${said}` : said;
    else if (value?.words !== undefined && name !== 'THE-VALUE') {
      if (/^(?:p|li|tr|div|h[1-6])$/.test(name)) value.words += '\n';
      value.layout?.end(name.toLowerCase());
    } else if (name === 'THE-VALUE' && value?.words !== undefined) {
      value.text = value.words
        .split('\n')
        .map((line) => line.trim())
        .join('\n')
        .trim();
      value.words = undefined;
    } else if (name.startsWith('ATTRIBUTE-VALUE-') && value && object) {
      if (value.attribute) object.values.set(value.attribute, value.text);
      if (value.attribute && value.layout) object.layouts.set(value.attribute, value.layout);
      value = undefined;
    } else if (name === 'SPEC-OBJECT-REF') {
      const within = path.at(-1);
      if (within === 'SOURCE' && relation) relation.source = said;
      else if (within === 'TARGET' && relation) relation.target = said;
      else if (within === 'OBJECT' && hierarchy.length) {
        hierarchy[hierarchy.length - 1].object = said;
        found.places.push({ id: hierarchy[hierarchy.length - 1].id, object: said, under: hierarchy.at(-2)?.object ?? null });
      }
    } else if (name === 'SPEC-RELATION' && relation) {
      found.relations.push(relation);
      relation = undefined;
    } else if (name === 'SPEC-HIERARCHY') hierarchy.pop();
  });
  parser.write(xml).close();
  return found;
}

/** The words of enumerations and of what refers to them; everything else as it stands. */
const shown = (found: Collected, value: string): string =>
  value
    .split('\n')
    .map((part) => found.names.get(part) ?? part)
    .join(value.startsWith('_') || found.names.has(value) ? '; ' : '\n');

/**
 * Reads a ReqIF file as the table that the import of requirements takes: `key` from the foreign identifier where it is one, else from the
 * place in the file; `under` from the hierarchy, `parent` from the relations; every other attribute under its long name. Faults name what
 * dangles.
 */
export function readReqif(xml: string, { known: knownKeys, prefix, next: first }: ReqifKeys = freshKeys): ReadReqif {
  let found: Collected;
  try {
    found = collect(xml);
  } catch (error) {
    return { fault: error instanceof Error ? error.message : 'The file cannot be read.' };
  }
  if (!found.objects.size) return { fault: 'There is no object in it: is it ReqIF?' };
  const dangling = [...found.places.map((p) => p.object), ...found.relations.flatMap((r) => [r.source, r.target])].find(
    (of) => !found.objects.has(of),
  );
  if (dangling !== undefined)
    return { fault: `Something refers to the object ${dangling || '(none)'}, which is not in the file. Nothing was read.` };
  const attribute = (object: ReqObject, name: string): string => {
    for (const [of, value] of object.values) if ((found.names.get(of) ?? of) === name) return value;
    return '';
  };
  const keys = new Map<string, string>();
  const taken = new Set<string>();
  for (const [of, object] of found.objects) {
    const foreign = attribute(object, 'ReqIF.ForeignID').trim();
    const key = knownKeys.get(of) ?? foreign;
    if (isKey(key) && !taken.has(key)) {
      keys.set(of, key);
      taken.add(key);
    }
  }
  for (const key of knownKeys.values()) taken.add(key);
  let next = first - 1;
  for (const of of found.objects.keys())
    if (!keys.has(of)) {
      let key: string;
      do key = `${prefix}-${String(++next).padStart(3, '0')}`;
      while (taken.has(key));
      keys.set(of, key);
      taken.add(key);
    }
  const parents = new Map<string, string[]>();
  for (const { source, target } of found.relations) parents.set(source, [...(parents.get(source) ?? []), keys.get(target) ?? '']);
  const under = new Map(found.places.map((p) => [p.object, p.under]));
  const order = [...new Set([...found.places.map((p) => p.object), ...found.objects.keys()])];
  const shownElsewhere = new Set([
    'ReqIF.ForeignID',
    'ReqIF.Name',
    'ReqIF.ChapterName',
    'ReqIF.Text',
    'Kind',
    'Not in code',
    'Why not in code',
  ]);
  const others = [
    ...new Set([...found.objects.values()].flatMap(({ values }) => [...values.keys()].map((of) => found.names.get(of) ?? of))),
  ].filter((name) => !shownElsewhere.has(name));
  const layouts: Record<string, string> = {};
  const pictures: string[] = [];
  const layoutOf = (object: ReqObject): Layout | undefined =>
    [...object.layouts].find(([of]) => (found.names.get(of) ?? of) === 'ReqIF.Text')?.[1];
  const lines = order.map((of) => {
    const object = found.objects.get(of) ?? noObject();
    const chapter = attribute(object, 'ReqIF.ChapterName');
    const layout = layoutOf(object);
    const laidOut = layout?.whole();
    if (layout && laidOut !== undefined) {
      layouts[keys.get(of) ?? ''] = laidOut;
      pictures.push(...layout.pictures);
    }
    const text = laidOut === undefined ? attribute(object, 'ReqIF.Text') : plainText(laidOut);
    const title = attribute(object, 'ReqIF.Name') || chapter || text.split('\n')[0].slice(0, 120);
    const kind = shown(found, attribute(object, 'Kind')) || (chapter && !text ? 'heading' : 'requirement');
    const place = under.get(of);
    const notInCode = attribute(object, 'Not in code') === 'true' ? attribute(object, 'Why not in code') || 'yes' : '';
    return [
      keys.get(of) ?? '',
      kind,
      place ? (keys.get(place) ?? '') : '',
      title,
      text,
      [...new Set(parents.get(of) ?? [])].sort(compareKeys).join('; '),
      notInCode,
      ...others.map((name) => flag(shown(found, attribute(object, name)))),
    ];
  });
  return {
    csv: writeCsv(['key', 'kind', 'under', 'title', 'text', 'parent', 'not in code', ...others], lines),
    specifications: found.specifications,
    kept: found.prefixed ? undefined : keptOf(found, keys),
    layouts,
    pictures: [...new Set(pictures)],
  };
}

/** What of a file has no place here, told by the keys that its objects got. */
function keptOf(found: Collected, keys: ReadonlyMap<string, string>): ReqifKept {
  const foreign = (definition: string): boolean => !ownAttributes.has(found.names.get(definition) ?? definition);
  const attributes = [...found.attributes].filter(([id]) => foreign(id));
  const used = attributes.map(([, raw]) => raw).join('');
  const byKey = <V>(list: Iterable<readonly [string, V]>): Record<string, V> => Object.fromEntries(list);
  return {
    namespaces: found.namespaces,
    specification: found.specification,
    objects: byKey([...keys].map(([of, key]) => [key, of])),
    places: byKey(found.places.map((place) => [keys.get(place.object) ?? '', place.id])),
    relations: byKey(found.relations.map(({ id, source, target }) => [`${keys.get(source) ?? ''} ${keys.get(target) ?? ''}`, id])),
    // Of the types only those that a kept attribute has.
    datatypes: [...found.datatypes].filter(([id]) => used.includes(`>${id}<`)).map(([, raw]) => raw),
    attributes: attributes.map(([, raw]) => raw),
    values: byKey(
      [...found.objects].flatMap(([of, { raw }]) => {
        const list = [...raw].filter(([definition]) => foreign(definition)).map(([, whole]) => whole);
        return list.length ? [[keys.get(of) ?? '', list] as const] : [];
      }),
    ),
    groupTypes: found.groupTypes,
    groups: found.groups,
    extensions: found.extensions,
  };
}

const flag = (value: string): string => (value === 'true' ? 'yes' : value === 'false' ? '' : value);
