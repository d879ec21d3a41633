import type { Json } from './canonical';
import { canonicalJson } from './canonical';
import { sha256Hex } from './hash';

/** One row that an entry wrote: where it stands, and the hash of what stands there now; null where the row is no more. */
export interface LedgerWrite {
  readonly table: string;
  /** The row's number; of rows that have none, the numbers that name it, joined by a colon. */
  readonly id: string;
  readonly hash: string | null;
}

/** What a ledger entry says, without the chain. `at` is ISO 8601 in UTC with milliseconds. */
export interface LedgerFacts {
  readonly format: LedgerFormat;
  readonly seq: number;
  readonly at: string;
  readonly who: string;
  readonly action: string;
  readonly kind: string;
  readonly key: string;
  readonly before: Json;
  readonly after: Json;
  /** From format 2 on: the rows that were written, each with its hash. */
  readonly writes: readonly LedgerWrite[];
  /** From format 2 on: what the client named the request, so that a repeat is recognised; empty where it named nothing. */
  readonly operation: string;
}

export interface LedgerEntry extends LedgerFacts {
  readonly previous: string;
  readonly hash: string;
}

/** Formats in which entries were ever written. A number, once released, keeps its meaning for ever. */
export type LedgerFormat = 1 | 2;
export const ledgerFormat: LedgerFormat = 2;

/** The `previous` of a chain's first entry. */
export const ledgerRoot = '0'.repeat(64);

/** The exact text whose SHA-256 is an entry's hash: canonical JSON (RFC 8785) of its facts with the previous entry's hash. */
export function ledgerText(facts: LedgerFacts, previous: string): string {
  const { format, seq, at, who, action, kind, key, before, after, writes, operation } = facts;
  if (format === 1) return canonicalJson({ seq, at, who, action, kind, key, before, after, previous });
  const written = writes.map(({ table, id, hash }): Json => [table, id, hash]);
  return canonicalJson({ format, seq, at, who, action, kind, key, before, after, writes: written, operation, previous });
}

export function ledgerHash(facts: LedgerFacts, previous: string): string {
  return sha256Hex(ledgerText(facts, previous));
}

export type LedgerFault = 'gap' | 'link' | 'hash';
export interface LedgerVerdict {
  readonly entries: number;
  readonly head: string;
  /** The first entry that does not fit: a missing number, a broken link to the one before, or changed contents. */
  readonly fault?: { readonly seq: number; readonly fault: LedgerFault };
}

/** Checks entries given in order, a batch at a time, so that a long ledger need not be in memory at once. */
export class LedgerCheck {
  private count = 0;
  private head = ledgerRoot;
  private fault: LedgerVerdict['fault'];

  push(entry: LedgerEntry): void {
    if (this.fault) return;
    const fault: LedgerFault | undefined =
      entry.seq !== this.count + 1
        ? 'gap'
        : entry.previous !== this.head
          ? 'link'
          : ledgerHash(entry, entry.previous) !== entry.hash
            ? 'hash'
            : undefined;
    if (fault) {
      this.fault = { seq: fault === 'gap' ? this.count + 1 : entry.seq, fault };
      return;
    }
    this.count++;
    this.head = entry.hash;
  }

  /** `expected` is the head that is kept apart from the entries: with it, entries cut off at the end are found too. */
  verdict(expected?: { readonly seq: number; readonly hash: string }): LedgerVerdict {
    const cut = !this.fault && expected && (expected.seq !== this.count || expected.hash !== this.head);
    const fault =
      this.fault ??
      (cut ? { seq: Math.min(expected.seq, this.count) + (expected.seq > this.count ? 1 : 0), fault: 'gap' as const } : undefined);
    return { entries: this.count, head: this.head, ...(fault ? { fault } : {}) };
  }
}

export type RowFault = 'changed' | 'removed' | 'inserted';

/**
 * Holds the present rows against what the ledger says that was written: the last hash that an entry gave for a row is what must
 * stand there. Entries go in with `entry`, rows with `row`, in any order within each; `faults` names what differs.
 */
export class RowCheck {
  private readonly expected = new Map<string, { readonly hash: string | null; readonly seq: number }>();
  private readonly found: { readonly table: string; readonly id: string; readonly fault: RowFault; readonly seq: number | null }[] = [];

  entry({ seq, writes }: Pick<LedgerFacts, 'seq' | 'writes'>): void {
    for (const { table, id, hash } of writes) this.expected.set(`${table} ${id}`, { hash, seq });
  }

  row(table: string, id: string, hash: string): void {
    const name = `${table} ${id}`;
    const given = this.expected.get(name);
    this.expected.delete(name);
    if (!given || given.hash === null) this.found.push({ table, id, fault: 'inserted', seq: given?.seq ?? null });
    else if (given.hash !== hash) this.found.push({ table, id, fault: 'changed', seq: given.seq });
  }

  /** Once all rows were given: what is changed, was removed or was put in behind the ledger's back. */
  faults(): readonly { readonly table: string; readonly id: string; readonly fault: RowFault; readonly seq: number | null }[] {
    const removed = [...this.expected].flatMap(([name, { hash, seq }]) => {
      const [table, id] = name.split(' ');
      return hash === null ? [] : [{ table, id, fault: 'removed' as const, seq }];
    });
    return [...this.found, ...removed];
  }
}
