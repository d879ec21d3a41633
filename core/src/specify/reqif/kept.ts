/**
 * What a ReqIF file of another tool holds that Cord Proof has no place for, as it stood in the file: it is kept beside the specification
 * and written out again, so that the other tool finds its own.
 */
export interface ReqifKept {
  /** Prefixes that the file declares, beside `xhtml`. */
  readonly namespaces: Readonly<Record<string, string>>;
  readonly specification: string;
  /** Identifiers of objects and of their places, by the key that each got here. */
  readonly objects: Readonly<Record<string, string>>;
  readonly places: Readonly<Record<string, string>>;
  /** Other identifiers of objects, by key. */
  readonly alternatives?: Readonly<Record<string, string>>;
  /** Identifiers of relations, by `from to` in keys. */
  readonly relations: Readonly<Record<string, string>>;
  /** Elements as they stood: types of data, definitions of attributes, values by key, types of groups, groups, extensions of tools. */
  readonly datatypes: readonly string[];
  readonly attributes: readonly string[];
  readonly values: Readonly<Record<string, readonly string[]>>;
  readonly groupTypes: readonly string[];
  readonly groups: readonly string[];
  readonly extensions: readonly string[];
}

/** Attributes that Cord Proof writes itself, by their long names. */
export const ownAttributes: ReadonlySet<string> = new Set([
  'ReqIF.ForeignID',
  'ReqIF.Name',
  'ReqIF.ChapterName',
  'ReqIF.Text',
  'Rationale',
  'Why not in code',
  'State',
  'Top level',
  'Derived',
  'Not in code',
  'Revision',
  'Kind',
  'Level',
  'Method',
  'Acceptance criteria',
  'Source',
  'Risk',
  'Priority',
  'Tags',
]);
