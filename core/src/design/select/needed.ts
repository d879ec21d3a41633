/** What changed since the runs were recorded. */
export interface Changes {
  readonly requirements: ReadonlySet<string>;
  readonly cases: ReadonlySet<string>;
  /** Places of changed code points. */
  readonly points: readonly number[];
}

/** What a case verifies and hits. */
export interface CaseReach {
  readonly key: string;
  readonly verifies: readonly string[];
  /** The code points that it hits, as bits (`Bits` of the measuring engine). */
  readonly hits: Uint32Array;
  readonly minutes: number;
}

export type NeededReason =
  | { readonly code: 'caseChanged' }
  | { readonly code: 'requirementChanged'; readonly requirements: readonly string[] }
  | { readonly code: 'codeChanged'; readonly points: number };

export interface NeededRun {
  readonly run: string;
  readonly caseKey: string;
  readonly why: readonly NeededReason[];
}

const hitsAny = (hits: Uint32Array, points: readonly number[]): number =>
  points.reduce((n, p) => n + ((hits[p >>> 5] >>> (p & 31)) & 1), 0);

/** The runs that no longer stand, each with all its reasons. A case that hits none of the changed code and verifies nothing that changed stands. */
export function runsNeeded(
  changes: Changes,
  cases: readonly CaseReach[],
  runs: readonly { readonly key: string; readonly caseKey: string }[],
): NeededRun[] {
  const why = new Map<string, NeededReason[]>();
  for (const c of cases) {
    const reasons: NeededReason[] = [];
    if (changes.cases.has(c.key)) reasons.push({ code: 'caseChanged' });
    const requirements = c.verifies.filter((key) => changes.requirements.has(key));
    if (requirements.length) reasons.push({ code: 'requirementChanged', requirements });
    const points = hitsAny(c.hits, changes.points);
    if (points) reasons.push({ code: 'codeChanged', points });
    if (reasons.length) why.set(c.key, reasons);
  }
  return runs.flatMap(({ key, caseKey }) => {
    const reasons = why.get(caseKey);
    return reasons ? [{ run: key, caseKey, why: reasons }] : [];
  });
}
