import { recordFormat, textHash, type VersionedKind } from '@core/base';
import type { SignatureMeaning } from '@core/run';
import { putSignature, recordRows, type SignedIn, type Touches, type Writing } from '../base';

/** A revision of a record that somebody signs as it is made. */
export interface Statement {
  readonly recordId: number;
  readonly kind: VersionedKind;
  readonly key: string;
  readonly revision: number;
  readonly state: string;
  /** What it says, and that as the text that the hash is of. */
  readonly content: object;
  readonly text: string;
  readonly meaning: SignatureMeaning;
  readonly reason: string;
  /** The entry of the ledger; `after` stands in it beside the hash and the name. */
  readonly action: string;
  readonly before?: object;
  readonly after: object;
  readonly touches: Touches;
}

/** Writes down a revision, its entry of the ledger and its signature; the caller says which rows of its own it wrote. */
export async function signStatement(w: Writing, signer: SignedIn, statement: Statement): Promise<void> {
  const { recordId, kind, key, revision, state, content, text, meaning, reason, action, before, after, touches } = statement;
  const hash = textHash(text);
  w.log({
    action,
    kind,
    key,
    ...(before ? { before } : {}),
    after: { ...after, hash, printedName: signer.printedName },
    touches,
  });
  w.snapshot({ recordId, revision, state, snapshot: content, hash, reason });
  w.wrote(recordRows, recordId);
  await putSignature(w, signer, { recordId, revision, meaning, format: recordFormat, hash, reason });
}
