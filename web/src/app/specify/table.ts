import { tableColumns, type ReqifKept } from '@core/specify';

/** A table of requirements as it was read. */
export interface PlainTable {
  readonly csv: string;
  /** Its texts that are laid out, by key. */
  readonly layouts?: Readonly<Record<string, string>>;
  /** What of a ReqIF document has no place here. */
  readonly kept?: ReqifKept | undefined;
}

/** A large one, as it is sent: in parts, and written by a job. */
export interface PackedTable {
  readonly packed: Blob;
  readonly columns: readonly string[];
}

export type Table = PlainTable | PackedTable;

/** From so many letters on a table is sent in parts. */
const large = 4_000_000;

/** A table as it is where it is small, else packed with gzip as the server takes it in parts. */
export async function packedWhereLarge(table: PlainTable): Promise<Table> {
  const { csv, layouts, kept } = table;
  const parts = [
    `{"csv":${JSON.stringify(csv)}`,
    ...(layouts ? [`,"layouts":${JSON.stringify(layouts)}`] : []),
    ...(kept ? [`,"exchange":${JSON.stringify(kept)}`] : []),
    '}',
  ];
  if (parts.reduce((sum, { length }) => sum + length, 0) < large) return table;
  const packed = await new Response(new Blob(parts).stream().pipeThrough(new CompressionStream('gzip'))).blob();
  return { packed, columns: tableColumns(csv) };
}

/** What of a file has no place here, as a message carries it. */
export const exchangeOf = ({ values, alternatives, ...kept }: ReqifKept) => ({
  namespaces: { ...kept.namespaces },
  specification: kept.specification,
  objects: { ...kept.objects },
  places: { ...kept.places },
  ...(alternatives ? { alternatives: { ...alternatives } } : {}),
  relations: { ...kept.relations },
  datatypes: [...kept.datatypes],
  attributes: [...kept.attributes],
  values: Object.fromEntries(Object.entries(values).map(([key, list]) => [key, [...list]])),
  groupTypes: [...kept.groupTypes],
  groups: [...kept.groups],
  extensions: [...kept.extensions],
});
