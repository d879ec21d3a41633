import { canonicalJson, type Json } from './canonical';
import { sha256Hex } from './hash';

/**
 * Formats in which records are hashed and signed. A number, once released, is frozen: its encoders are never changed, golden files
 * in the tests hold them, and a record of any earlier format verifies for ever. 1: runs of the first release. 2: every kind,
 * in an envelope that names format, kind, key and revision. 3: the same, of a text that is written richly. 4: the same, of a requirement
 * that has more than its text: criteria, source, risk, priority, tags. 5: of a case that has more than plain steps, minutes and rows, of its
 * runs with what was read, and of the models that cases are made from. 6: of a run that has more: a conclusion, redlines, a program that did it, a clock that
 * was corrected. 7: of a run that was recorded away from the server, with the times of the device.
 */
export type RecordFormat = 1 | 2 | 3 | 4 | 5 | 6 | 7;
/** The format of whatever holds nothing that a later one was made for. */
export const recordFormat: RecordFormat = 2;

/** The text that a format-2 hash is of. `content` is what the kind's own frozen encoder picked. */
export function envelope2(kind: string, key: string, revision: number, content: Json): string {
  return canonicalJson({ format: 2, kind, key, revision, content });
}

/** The text that a format-3 hash is of. */
export function envelope3(kind: string, key: string, revision: number, content: Json): string {
  return canonicalJson({ format: 3, kind, key, revision, content });
}

/** The text that a format-4 hash is of. */
export function envelope4(kind: string, key: string, revision: number, content: Json): string {
  return canonicalJson({ format: 4, kind, key, revision, content });
}

/** The text that a format-5 hash is of. */
export function envelope5(kind: string, key: string, revision: number, content: Json): string {
  return canonicalJson({ format: 5, kind, key, revision, content });
}

/** SHA-256 of an encoded record's UTF-8 bytes, 64 lower-case hex digits: what a signature is bound to. */
export const textHash = (text: string): string => sha256Hex(text);
