import { sha256Hex } from '@core/base';
import { unpack, type ReqifKept } from '@core/specify';

/** What an archive may unpack to. */
const mostBytes = 120 * 1024 * 1024;

const mimes: Readonly<Record<string, string>> = {
  png: 'image/png',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  webp: 'image/webp',
};

export interface ReqifArchive {
  readonly xml: string;
  /** Its pictures by the names that the document gives them, with the hashes of what they hold. */
  readonly pictures: ReadonlyMap<string, { readonly file: File; readonly sha256: string }>;
}

/** The first ReqIF document of an archive, with its pictures; nothing where there is none, or where it unpacks to far more than one has. */
export async function openReqif(bytes: Uint8Array): Promise<ReqifArchive | undefined> {
  const files = new Map<string, Uint8Array[]>();
  let document: string | undefined;
  const unpacked = unpack(bytes, mostBytes, (name) => {
    const ending = /\.([a-z]{3,5})$/i.exec(name)?.[1].toLowerCase() ?? '';
    if (ending === 'reqif' && document === undefined) document = name;
    else if (!mimes[ending]) return undefined;
    const parts: Uint8Array[] = [];
    files.set(name, parts);
    return (part) => parts.push(part);
  });
  const whole = async (parts: Uint8Array[]): Promise<Uint8Array<ArrayBuffer>> =>
    new Uint8Array(await new Blob(parts as BlobPart[]).arrayBuffer());
  const text = files.get(document ?? '');
  if (document === undefined || !text || unpacked !== 'whole') return undefined;
  files.delete(document);
  // Names are told from where the document stands.
  const folder = document.slice(0, document.lastIndexOf('/') + 1);
  const pictures = new Map<string, { file: File; sha256: string }>();
  for (const [name, parts] of files) {
    const ending = name.slice(name.lastIndexOf('.') + 1).toLowerCase();
    const content = await whole(parts);
    const file = new File([content], name.slice(name.lastIndexOf('/') + 1), { type: mimes[ending] });
    pictures.set(name.startsWith(folder) ? name.slice(folder.length) : name, { file, sha256: sha256Hex(content) });
  }
  return { xml: new TextDecoder().decode(await whole(text)), pictures };
}

/** A name as a document writes it, as an archive has it. */
export const nameInArchive = (said: string): string => {
  const name = said.replace(/^(?:\.\/)+/, '');
  try {
    return decodeURIComponent(name);
  } catch {
    return name;
  }
};

/** What of a file has no place here, as a message carries it. */
export const exchangeOf = ({ values, ...kept }: ReqifKept) => ({
  namespaces: { ...kept.namespaces },
  specification: kept.specification,
  objects: { ...kept.objects },
  places: { ...kept.places },
  relations: { ...kept.relations },
  datatypes: [...kept.datatypes],
  attributes: [...kept.attributes],
  values: Object.fromEntries(Object.entries(values).map(([key, list]) => [key, [...list]])),
  groupTypes: [...kept.groupTypes],
  groups: [...kept.groups],
  extensions: [...kept.extensions],
});
