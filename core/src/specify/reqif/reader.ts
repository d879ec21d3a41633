import { SaxesParser } from 'saxes';
import { ownAttributes } from './kept';
import { Layout } from './layout';

interface Place {
  readonly id: string;
  readonly object: string;
  readonly under: string | null;
}
export interface ReqObject {
  readonly values: Map<string, string>;
  /** The values as they stand in the file, by the definition of each. */
  readonly raw: Map<string, string>;
  /** Another identifier of the same, where it has one. */
  alternative?: string;
  /** The layout of those that have one. */
  readonly layouts: Map<string, Layout>;
}
export const noObject = (): ReqObject => ({ values: new Map(), raw: new Map(), layouts: new Map() });

class Unreadable extends Error {}

const mostObjects = 200_000;
/** The attribute that holds the text of an object. */
export const textName = 'ReqIF.Text';

/** What is collected while a file is read: names by their identifiers, objects, their places and relations. */
export class Collected {
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

/** The value of an attribute while it is read. */
interface Value {
  attribute: string;
  text: string;
  /** The words of an XHTML value; undefined outside of one. */
  words: string | undefined;
  layout?: Layout;
}

/**
 * Reads ReqIF 1.x (structure recalled) as its text comes, part by part. Of the text only that is held which may still be kept as it stands: from
 * where an element begins that is kept, else from the last bracket on.
 */
export class Reader {
  readonly found = new Collected();
  private readonly parser = new SaxesParser();
  private held = '';
  /** Where in the whole text `held` begins. */
  private heldFrom = 0;
  private readonly path: string[] = [];
  private object: ReqObject | undefined;
  private objectId = '';
  private value: Value | undefined;
  private relation: { id: string; source: string; target: string } | undefined;
  private readonly hierarchy: { id: string; object: string }[] = [];
  /** Elements that are kept, from the outside in: where each began. */
  private readonly raw: { name: string; from: number; id: string }[] = [];
  private text = '';

  constructor() {
    const { parser } = this;
    parser.on('doctype', () => {
      throw new Unreadable(`Line ${parser.line}: the document declares a type or entities of its own; such are not read.`);
    });
    parser.on('error', (error) => {
      throw new Unreadable(`The XML cannot be read: ${error.message}`);
    });
    parser.on('opentag', ({ name, attributes }) => this.opens(name, attributes as Record<string, string>));
    parser.on('text', (words) => {
      this.text += words;
      if (this.value?.words === undefined) return;
      this.value.words += words.replace(/\s+/g, ' ');
      this.value.layout?.text(words);
    });
    parser.on('closetag', ({ name }) => this.closes(plain(name)));
  }

  push(part: string): void {
    this.held += part;
    this.parser.write(part);
    // A tag that is not read whole yet begins at the last bracket.
    const cut = Math.min(this.raw.at(0)?.from ?? Infinity, this.heldFrom + Math.max(0, this.held.lastIndexOf('<')));
    this.held = this.held.slice(cut - this.heldFrom);
    this.heldFrom = cut;
  }

  end(): Collected {
    this.parser.close();
    return this.found;
  }

  /** A definition whose name is not that of an attribute that we write: it is kept as it stands. */
  private foreign(definition: string): boolean {
    return !ownAttributes.has(this.found.names.get(definition) ?? definition);
  }

  private opens(full: string, a: Readonly<Record<string, string>>): void {
    const { found, path, parser } = this;
    const name = plain(full);
    path.push(name);
    if (path.length === 1) {
      found.prefixed = full.includes(':');
      for (const [attribute, uri] of Object.entries(a)) {
        const prefix = /^xmlns:(.+)$/.exec(attribute)?.[1];
        if (prefix && prefix !== 'xhtml') found.namespaces[prefix] = uri;
      }
    }
    // A tag cannot hold an opening bracket but its own.
    if (rawOf(name)) {
      const from = this.heldFrom + this.held.lastIndexOf('<', parser.position - 1 - this.heldFrom);
      this.raw.push({ name, from, id: a['IDENTIFIER'] ?? '' });
    }
    if (path.length > 300) throw new Unreadable(`Line ${parser.line}: the document is nested too deeply.`);
    this.text = '';
    const identifier = a['IDENTIFIER'] ?? '';
    if (a['LONG-NAME'] !== undefined) found.names.set(identifier, a['LONG-NAME']);
    const { value } = this;
    if (value?.words !== undefined) value.layout?.begin(name.toLowerCase(), a);
    if (name === 'SPECIFICATION') {
      found.specifications.push(a['LONG-NAME'] ?? identifier);
      found.specification ||= identifier;
    } else if (name === 'SPEC-OBJECT') this.beginObject(identifier);
    else if (name === 'ALTERNATIVE-ID' && this.object && identifier) this.object.alternative = identifier;
    else if (name.startsWith('ATTRIBUTE-VALUE-') && this.object)
      this.value = { attribute: '', text: a['THE-VALUE'] ?? '', words: undefined };
    else if (name === 'THE-VALUE' && value) {
      value.words = '';
      // Only the text is shown with its layout; which one it is may be said behind it.
      const of = found.names.get(value.attribute);
      if (of === undefined || of === textName) value.layout = new Layout();
    } else if (name === 'br' && value?.words !== undefined) value.words += '\n';
    else if (name === 'SPEC-RELATION') this.relation = { id: identifier, source: '', target: '' };
    else if (name === 'SPEC-HIERARCHY') this.hierarchy.push({ id: identifier, object: '' });
  }

  private beginObject(identifier: string): void {
    const { found, parser } = this;
    this.objectId = identifier;
    this.object = noObject();
    if (found.objects.size >= mostObjects) throw new Unreadable(`The file has more than ${mostObjects.toLocaleString('en')} objects.`);
    if (!identifier || found.objects.has(identifier)) throw new Unreadable(`Line ${parser.line}: an object has no identifier of its own.`);
  }

  /** An element that is kept ends: what it was, goes where it belongs. Inside of another that is kept it is part of that. */
  private keepRaw(name: string): void {
    const { found, object, value } = this;
    const top = this.raw.at(-1);
    if (top?.name !== name) return;
    this.raw.pop();
    const kind = rawOf(name);
    if (this.raw.some((outer) => rawOf(outer.name) === 'extension')) return;
    if (kind === 'value' && !(object && value?.attribute && this.foreign(value.attribute))) return;
    const whole = this.held.slice(top.from - this.heldFrom, this.parser.position - this.heldFrom);
    if (kind === 'datatype') found.datatypes.set(top.id, whole);
    else if (kind === 'attribute') found.attributes.set(top.id, whole);
    else if (kind === 'value') object?.raw.set(value?.attribute ?? '', whole);
    else if (kind === 'groupType') found.groupTypes.push(whole);
    else if (kind === 'group') found.groups.push(whole);
    else if (kind === 'extension') found.extensions.push(whole);
  }

  private closes(name: string): void {
    const { found, object, value } = this;
    this.path.pop();
    this.keepRaw(name);
    const said = this.text.trim();
    this.text = '';
    if (name === 'SPEC-OBJECT' && object) {
      found.objects.set(this.objectId, object);
      this.object = undefined;
    } else if (value && object && this.closesValue(name, value, object, said)) return;
    else if (name === 'SPEC-OBJECT-REF') this.refers(said);
    else if (name === 'SPEC-RELATION' && this.relation) {
      found.relations.push(this.relation);
      this.relation = undefined;
    } else if (name === 'SPEC-HIERARCHY') this.hierarchy.pop();
  }

  /** Something ends within a value, or the value itself; false where it is nothing of a value. */
  private closesValue(name: string, value: Value, object: ReqObject, said: string): boolean {
    if (name.startsWith('ATTRIBUTE-DEFINITION-') && name.endsWith('-REF')) value.attribute = said;
    else if (name === 'ENUM-VALUE-REF') value.text = value.text ? `${value.text}\n${said}` : said;
    else if (value.words !== undefined && name !== 'THE-VALUE') {
      if (/^(?:p|li|tr|div|h[1-6])$/.test(name)) value.words += '\n';
      value.layout?.end(name.toLowerCase());
    } else if (name === 'THE-VALUE' && value.words !== undefined) {
      value.text = value.words
        .split('\n')
        .map((line) => line.trim())
        .join('\n')
        .trim();
      value.words = undefined;
    } else if (name.startsWith('ATTRIBUTE-VALUE-')) {
      if (value.attribute) object.values.set(value.attribute, value.text);
      if (value.attribute && value.layout) object.layouts.set(value.attribute, value.layout);
      this.value = undefined;
    } else return false;
    return true;
  }

  private refers(said: string): void {
    const { found, hierarchy, relation } = this;
    const within = this.path.at(-1);
    const place = hierarchy.at(-1);
    if (within === 'SOURCE' && relation) relation.source = said;
    else if (within === 'TARGET' && relation) relation.target = said;
    else if (within === 'OBJECT' && place) {
      place.object = said;
      found.places.push({ id: place.id, object: said, under: hierarchy.at(-2)?.object ?? null });
    }
  }
}

const plain = (name: string): string => name.replace(/^.*:/, '');
