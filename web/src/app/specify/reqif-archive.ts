import { unpack, type ReqifKept } from '@core/specify';

/** What an archive may unpack to. */
const mostBytes = 120 * 1024 * 1024;

/** The first ReqIF document of an archive; nothing where there is none, or where it unpacks to far more than one has. */
export async function firstReqif(bytes: Uint8Array): Promise<string | undefined> {
  const parts: Uint8Array[] = [];
  let taken = false;
  const unpacked = unpack(bytes, mostBytes, (name) => {
    if (taken || !/\.reqif$/i.test(name)) return undefined;
    taken = true;
    return (part) => parts.push(part);
  });
  if (!taken || unpacked !== 'whole') return undefined;
  return new TextDecoder().decode(await new Blob(parts as BlobPart[]).arrayBuffer());
}

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
