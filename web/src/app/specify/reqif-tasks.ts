import { sha256Hex } from '@core/base';
import { ReqifReading, Unpacking, withPictures, type ReadReqif, type ReqifKeys } from '@core/specify';
import { packedWhereLarge, type Table } from './table';

/** What a document may hold, alone or unpacked with its pictures, in bytes. */
const mostBytes = 200 << 20;

const mimes: Readonly<Record<string, string>> = {
  png: 'image/png',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  webp: 'image/webp',
};
const endingOf = (name: string): string => /\.([a-z]{3,5})$/i.exec(name)?.[1].toLowerCase() ?? '';
const lastOf = (path: string): string => path.slice(path.lastIndexOf('/') + 1);

/** A picture that a text shows, with the hash of what it holds. */
export interface ShownPicture {
  readonly file: File;
  readonly sha256: string;
}

/** What a ReqIF document holds, as the import takes it. */
export interface ReadDocument {
  readonly table: Table;
  readonly shown: readonly ShownPicture[];
  /** The names of pictures that its texts show and that are not there. */
  readonly without: readonly string[];
}

/** By which identifiers objects are known here, and which keys new ones get. */
export interface KnownHere extends Omit<ReqifKeys, 'known'> {
  readonly identifiers: Readonly<Record<string, string>>;
}

/** Reading what is large, off the page’s thread. */
export const reqifTasks = {
  /**
   * Reads a ReqIF document as it stands in a file or in an archive, part by part, with the pictures that stand in the archive or beside the file.
   * `reached` is told what part of the file is read, from 0 to 1.
   */
  async read(files: readonly File[], here: KnownHere, reached: (part: number) => void): Promise<ReadDocument | { readonly fault: string }> {
    const file = files.find(({ name }) => /\.reqifz?$/i.test(name));
    if (!file) return { fault: 'There is no ReqIF document among the files.' };
    const held = new Map<string, File>(files.filter((other) => other !== file).map((picture) => [picture.name, picture]));
    const read = /z$/i.test(file.name) ? await readArchive(file, held, reached) : await readPlain(file, reached);
    if (!read) return { fault: 'There is no ReqIF document in the archive, or it unpacks to far more than one has.' };
    const { identifiers, prefix, next } = here;
    const document = read.end({ known: new Map(Object.entries(identifiers)), prefix, next });
    return 'fault' in document ? document : withItsPictures(document, held);
  },
};
export type ReqifTasks = typeof reqifTasks;

/** Gives what a file holds part by part; ends where `take` wants no more. */
async function inParts(file: File, reached: (part: number) => void, take: (bytes: Uint8Array, last: boolean) => boolean): Promise<void> {
  let read = 0;
  const reader = file.stream().getReader();
  for (;;) {
    const { value, done } = await reader.read();
    if (done || !value) return;
    read += value.length;
    if (!take(value, read >= file.size)) return reader.cancel();
    reached(read / file.size);
  }
}

async function readPlain(file: File, reached: (part: number) => void): Promise<ReqifReading | undefined> {
  if (file.size > mostBytes) return undefined;
  const reading = new ReqifReading();
  const decoder = new TextDecoder();
  await inParts(file, reached, (bytes) => reading.push(decoder.decode(bytes, { stream: true })));
  reading.push(decoder.decode());
  return reading;
}

/** The first ReqIF document of an archive; its pictures are held under the names that the document gives them. */
async function readArchive(file: File, held: Map<string, File>, reached: (part: number) => void): Promise<ReqifReading | undefined> {
  const reading = new ReqifReading();
  const decoder = new TextDecoder();
  const pictures = new Map<string, Uint8Array[]>();
  let document: string | undefined;
  let readable = true;
  const unpacking = new Unpacking(mostBytes, (name) => {
    const ending = endingOf(name);
    if (ending === 'reqif' && document === undefined) {
      document = name;
      return (part) => {
        readable = reading.push(decoder.decode(part, { stream: true }));
      };
    }
    if (!mimes[ending]) return undefined;
    const parts: Uint8Array[] = [];
    pictures.set(name, parts);
    return (part) => parts.push(part);
  });
  await inParts(file, reached, (bytes, last) => {
    unpacking.push(bytes, last);
    return readable && unpacking.sound;
  });
  if (document === undefined || unpacking.outcome !== 'whole') return undefined;
  reading.push(decoder.decode());
  // Names are told from where the document stands.
  const folder = document.slice(0, document.lastIndexOf('/') + 1);
  for (const [name, parts] of pictures) {
    const picture = new File(parts as BlobPart[], lastOf(name), { type: mimes[endingOf(name)] });
    held.set(name.startsWith(folder) ? name.slice(folder.length) : name, picture);
  }
  return reading;
}

/** A name as a document writes it, as an archive has it. */
function nameInArchive(said: string): string {
  const name = said.replace(/^(?:\.\/)+/, '');
  try {
    return decodeURIComponent(name);
  } catch {
    return name;
  }
}

async function withItsPictures(
  { csv, kept, layouts, pictures }: Exclude<ReadReqif, { fault: string }>,
  held: ReadonlyMap<string, File>,
): Promise<ReadDocument> {
  const shown = new Map<string, ShownPicture>();
  for (const name of pictures) {
    const said = nameInArchive(name);
    // What is chosen beside a file has no folders.
    const file = held.get(said) ?? held.get(lastOf(said));
    if (file) shown.set(name, { file, sha256: sha256Hex(new Uint8Array(await file.arrayBuffer())) });
  }
  const html = Object.entries(layouts).map(([key, layout]) => [key, withPictures(layout, (name) => shown.get(name)?.sha256)] as const);
  return {
    table: await packedWhereLarge({ csv, layouts: Object.fromEntries(html), kept }),
    shown: [...new Map([...shown.values()].map((picture) => [picture.sha256, picture])).values()],
    without: pictures.filter((name) => !shown.has(name)),
  };
}
