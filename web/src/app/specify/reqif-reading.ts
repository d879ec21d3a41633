import { addAttachments, listAttachments, type AnswerOf } from '@contract/base';
import type { getExchange } from '@contract/specify';
import { counted } from '@core/base';
import { readReqif, withPictures, type ReqifKept } from '@core/specify';
import type { Api } from '../base';
import { nameInArchive, openReqif, type ReqifArchive } from './reqif-archive';

/** What a ReqIF document holds, as the import takes it. */
export interface ReqifTable {
  readonly csv: string;
  /** What of it has no place here. */
  readonly kept: ReqifKept | undefined;
  /** Its texts that are laid out, by key, with their pictures as they are stored here. */
  readonly layouts: Record<string, string>;
  /** What becomes of its pictures, in words; empty where it has none. */
  readonly pictures: string;
}

const are = (n: number): string => `${counted(n, 'picture')} ${n === 1 ? 'is' : 'are'}`;

/** A ReqIF document that somebody imports, alone or in an archive with its pictures. */
export class ReqifFile {
  /** The pictures that its texts show. */
  private shown: readonly { readonly file: File; readonly sha256: string }[] = [];

  private constructor(
    private readonly xml: string,
    private readonly archive: ReqifArchive['pictures'],
  ) {}

  /** Nothing where an archive holds no document, or unpacks to far more than one has. */
  static async open(file: File): Promise<ReqifFile | undefined> {
    const bytes = new Uint8Array(await file.arrayBuffer());
    if (!/z$/i.test(file.name)) return new ReqifFile(new TextDecoder().decode(bytes), new Map());
    const opened = await openReqif(bytes);
    return opened && new ReqifFile(opened.xml, opened.pictures);
  }

  /** The table that it holds; by which identifiers it is known here, the server says. */
  read({ prefix, next, identifiers }: AnswerOf<typeof getExchange>): ReqifTable | { readonly fault: string } {
    const read = readReqif(this.xml, { known: new Map(Object.entries(identifiers)), prefix, next });
    if ('fault' in read) return read;
    const held = (name: string): { file: File; sha256: string } | undefined => this.archive.get(nameInArchive(name));
    const found = read.pictures.flatMap((name) => held(name) ?? []);
    this.shown = [...new Map(found.map((picture) => [picture.sha256, picture])).values()];
    const without = read.pictures.length - found.length;
    return {
      csv: read.csv,
      kept: read.kept,
      layouts: Object.fromEntries(
        Object.entries(read.layouts).map(([key, html]) => [key, withPictures(html, (name) => held(name)?.sha256)]),
      ),
      pictures: [
        found.length ? `${are(found.length)} taken with its texts.` : '',
        without ? `${are(without)} not in the file: the words that stand there instead are read.` : '',
      ]
        .filter(Boolean)
        .join(' '),
    };
  }

  /** Pictures stand with the specification before a text shows them; those that stand there already are not sent again. */
  async storePictures(api: Api, at: { readonly project: string; readonly key: string }): Promise<void> {
    if (!this.shown.length) return;
    const there = new Set((await api.call(listAttachments, at)).map(({ sha256 }) => sha256));
    for (const { file, sha256 } of this.shown) if (!there.has(sha256)) await api.call(addAttachments, at, [file]);
  }
}
