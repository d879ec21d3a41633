import { createPublicKey, sign, verify } from 'node:crypto';
import { closeSync, existsSync, fsyncSync, openSync, readFileSync, writeSync } from 'node:fs';
import { canonicalJson } from '@core/base';
import { and, eq, inArray } from 'drizzle-orm';
import { ledger, ledgerHeads, projects, type Db } from '../base';
import { listPackKeys, signingKey } from './pack-key';

/**
 * The ends of ledgers, signed and kept outside the database: one line of JSON each in a file that the operator names. Whoever owns the
 * database can cut a ledger together with its end; the file then holds an end that is no more.
 */
interface SignedHead {
  /** The project's short name; `installation` for the chain of the installation. */
  readonly project: string;
  readonly seq: number;
  readonly hash: string;
  readonly at: string;
  /** Fingerprint of the key. */
  readonly key: string;
  /** Ed25519 over the canonical JSON of project, seq, hash and at; base64. */
  readonly signature: string;
}

/** What the file says of a ledger: how many ends of it fit, and the first that does not. */
export interface HeadsVerdict {
  readonly heads: number;
  readonly last: { readonly seq: number; readonly at: string } | null;
  readonly fault: { readonly seq: number; readonly at: string; readonly fault: 'shorter' | 'another' | 'forged' } | null;
}

const fileOf = (env = process.env): string | undefined => env['CORD_HEADS_FILE'] || undefined;
const said = ({ project, seq, hash, at }: Pick<SignedHead, 'project' | 'seq' | 'hash' | 'at'>): Buffer =>
  Buffer.from(canonicalJson({ project, seq, hash, at }));

async function nameOf(db: Db, projectId: number): Promise<string | undefined> {
  if (projectId === 0) return 'installation';
  const [project] = await db.select({ slug: projects.slug }).from(projects).where(eq(projects.id, projectId));
  return project?.slug;
}

/** Signs the present end of a ledger and writes it to the file, flushed; nothing where no file is named or nothing was ever written. */
export async function signHead(db: Db, projectId: number, now: Date, file = fileOf()): Promise<void> {
  const project = file && (await nameOf(db, projectId));
  if (!file || !project) return;
  const [head] = await db.select().from(ledgerHeads).where(eq(ledgerHeads.projectId, projectId));
  if (!head?.seq) return;
  const { key, all } = await signingKey(db);
  const words = { project, seq: head.seq, hash: head.hash, at: now.toISOString() };
  const line: SignedHead = { ...words, key: all[all.length - 1].fingerprint, signature: sign(null, said(words), key).toString('base64') };
  const open = openSync(file, 'a', 0o600);
  try {
    writeSync(open, `${JSON.stringify(line)}\n`);
    fsyncSync(open);
  } finally {
    closeSync(open);
  }
}

function linesOf(file: string, project: string): SignedHead[] {
  if (!existsSync(file)) return [];
  return readFileSync(file, 'utf8')
    .split('\n')
    .flatMap((line) => {
      try {
        const head = JSON.parse(line) as SignedHead;
        return head.project === project ? [head] : [];
      } catch {
        // A line that was being written when the machine fell.
        return [];
      }
    });
}

/** Holds a ledger against the ends that were signed of it; null where no file is named. */
export async function checkHeads(db: Db, projectId: number, file = fileOf()): Promise<HeadsVerdict | null> {
  const project = file && (await nameOf(db, projectId));
  if (!file || !project) return null;
  const lines = linesOf(file, project);
  const keys = new Map((await listPackKeys(db)).map(({ fingerprint, publicKey }) => [fingerprint, createPublicKey(publicKey)]));
  const hashes = new Map<number, string>();
  const seqs = [...new Set(lines.map(({ seq }) => seq))];
  for (let at = 0; at < seqs.length; at += 1000)
    for (const { seq, hash } of await db
      .select({ seq: ledger.seq, hash: ledger.hash })
      .from(ledger)
      .where(and(eq(ledger.projectId, projectId), inArray(ledger.seq, seqs.slice(at, at + 1000)))))
      hashes.set(seq, hash);
  const faultOf = (head: SignedHead): 'shorter' | 'another' | 'forged' | undefined => {
    const key = keys.get(head.key);
    if (!key || !verify(null, said(head), key, Buffer.from(head.signature, 'base64'))) return 'forged';
    const present = hashes.get(head.seq);
    return present === undefined ? 'shorter' : present === head.hash ? undefined : 'another';
  };
  const wrong = lines.find((head) => faultOf(head) !== undefined);
  const last = lines.at(-1);
  return {
    heads: lines.length,
    last: last ? { seq: last.seq, at: last.at } : null,
    fault: wrong ? { seq: wrong.seq, at: wrong.at, fault: faultOf(wrong) ?? 'forged' } : null,
  };
}
