import type { Json } from './canonical';
import { recordHash } from './hash';

/** What a ledger entry says, without the chain. `at` is ISO 8601 in UTC with milliseconds. */
export interface LedgerFacts {
  readonly seq: number;
  readonly at: string;
  readonly who: string;
  readonly action: string;
  readonly kind: string;
  readonly key: string;
  readonly before: Json;
  readonly after: Json;
}

export interface LedgerEntry extends LedgerFacts {
  readonly previous: string;
  readonly hash: string;
}

/** The `previous` of a chain's first entry. */
export const ledgerRoot = '0'.repeat(64);

/** hash = SHA-256(canonical JSON of the entry's facts together with the previous entry's hash). */
export function ledgerHash(facts: LedgerFacts, previous: string): string {
  const { seq, at, who, action, kind, key, before, after } = facts;
  return recordHash({ seq, at, who, action, kind, key, before, after, previous });
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
