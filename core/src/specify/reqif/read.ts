import { compareKeys, isKey, plainText, writeCsv } from '../../base';
import { ownAttributes, type ReqifKept } from './kept';
import type { Layout } from './layout';
import { noObject, Reader, textName, type Collected, type ReqObject } from './reader';

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

/** A ReqIF file that comes in parts, however large. */
export class ReqifReading {
  private readonly reader = new Reader();
  private fault: string | undefined;

  /** Takes the next part of its text; false once it is known that it cannot be read. */
  push(part: string): boolean {
    this.attempt(() => this.reader.push(part));
    return this.fault === undefined;
  }

  /** What it held; by which keys its objects are known, is said now. */
  end(keys: ReqifKeys = freshKeys): ReadReqif {
    this.attempt(() => this.reader.end());
    return this.fault === undefined ? tableOf(this.reader.found, keys) : { fault: this.fault };
  }

  private attempt(work: () => void): void {
    if (this.fault !== undefined) return;
    try {
      work();
    } catch (error) {
      this.fault = error instanceof Error ? error.message : 'The file cannot be read.';
    }
  }
}

/** Reads a ReqIF file that is there whole; see `ReqifReading`. */
export function readReqif(xml: string, keys: ReqifKeys = freshKeys): ReadReqif {
  const reading = new ReqifReading();
  reading.push(xml);
  return reading.end(keys);
}

/** The words of enumerations and of what refers to them; everything else as it stands. */
const shown = (found: Collected, value: string): string =>
  value
    .split('\n')
    .map((part) => found.names.get(part) ?? part)
    .join(value.startsWith('_') || found.names.has(value) ? '; ' : '\n');

/**
 * What a ReqIF file held as the table that the import of requirements takes: `key` from the foreign identifier where it is one, else from the
 * place in the file; `under` from the hierarchy, `parent` from the relations; every other attribute under its long name. Faults name what
 * dangles.
 */
function tableOf(found: Collected, { known: knownKeys, prefix, next: first }: ReqifKeys): ReadReqif {
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
    const key = knownKeys.get(of) ?? knownKeys.get(object.alternative ?? '') ?? foreign;
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
    [...object.layouts].find(([of]) => (found.names.get(of) ?? of) === textName)?.[1];
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
  const alternatives = [...found.objects].flatMap(([of, { alternative }]) =>
    alternative ? [[keys.get(of) ?? '', alternative] as const] : [],
  );
  const byKey = <V>(list: Iterable<readonly [string, V]>): Record<string, V> => Object.fromEntries(list);
  return {
    namespaces: found.namespaces,
    specification: found.specification,
    objects: byKey([...keys].map(([of, key]) => [key, of])),
    ...(alternatives.length ? { alternatives: byKey(alternatives) } : {}),
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
