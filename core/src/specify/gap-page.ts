import { groupBy } from '../base';
import { gapsOf, groundsOf, rulesLookedAt, type Gap, type GapFacts } from './gaps';
import { usualTraceRules } from './trace-rules';

/** An exception from a rule that stands: for just what was looked at when it was granted. */
export interface GapException {
  readonly id: number;
  readonly rule: string;
  readonly key: string;
  readonly other: string;
  readonly ground: string;
  readonly reason: string;
  readonly by: string;
  readonly at: string;
}

/** Which gaps are asked for. */
export interface GapAsked {
  /** The keys of a part of the project, where only that is meant: gaps at either end count. */
  readonly within?: ReadonlySet<string> | undefined;
  readonly rule?: string | undefined;
  /** Those with an exception too. */
  readonly excepted?: 'with' | undefined;
  readonly skip: number;
  readonly limit: number;
}

/** A gap as it is shown. */
export interface GapShown extends Omit<Gap, 'others'> {
  readonly ground: string;
  readonly kind: 'requirement' | 'case';
  readonly otherKind: 'requirement' | 'case' | null;
  readonly exception: Pick<GapException, 'id' | 'reason' | 'by' | 'at'> | null;
}

export interface GapPage {
  /** How many requirements were looked at. */
  readonly checked: number;
  readonly rules: readonly { rule: string; name: string; why: string; open: number; excepted: number }[];
  readonly rows: readonly GapShown[];
  readonly total: number;
  /** Exceptions whose ground changed: they stand no more. Told of the whole project only. */
  readonly ended: number;
}

/** What lacks and what contradicts: counts by rule over all that is asked for, and a page of it. Grounds are digested only where they are needed. */
export function gapPage(facts: GapFacts, exceptions: readonly GapException[], { within, rule, excepted, skip, limit }: GapAsked): GapPage {
  const groundOf = groundsOf(facts);
  const cases = new Set(facts.cases.map(({ key }) => key));
  const kindOf = (key: string): 'requirement' | 'case' => (cases.has(key) ? 'case' : 'requirement');
  const place = (of: Pick<Gap, 'rule' | 'key' | 'other'>): string => `${of.rule} ${of.key} ${of.other}`;
  const granted = groupBy(exceptions, place);
  const exceptionOf = (gap: Gap): GapException | undefined => {
    const here = granted.size ? granted.get(place(gap)) : undefined;
    return here?.find(({ ground }) => ground === groundOf(gap));
  };
  const counts = new Map<string, { open: number; excepted: number }>();
  const standing = new Set<number>();
  const rows: GapShown[] = [];
  let total = 0;
  for (const gap of gapsOf(facts)) {
    if (within && !within.has(gap.key) && !within.has(gap.other)) continue;
    const exception = exceptionOf(gap);
    const count = counts.get(gap.rule) ?? { open: 0, excepted: 0 };
    counts.set(gap.rule, count);
    if (exception) {
      count.excepted++;
      standing.add(exception.id);
    } else count.open++;
    if ((rule !== undefined && gap.rule !== rule) || (exception && excepted !== 'with')) continue;
    if (total++ < skip || rows.length >= limit) continue;
    const { others: _, ...told } = gap;
    rows.push({
      ...told,
      ground: groundOf(gap),
      kind: kindOf(gap.key),
      otherKind: gap.other ? kindOf(gap.other) : null,
      exception: exception ? { id: exception.id, reason: exception.reason, by: exception.by, at: exception.at } : null,
    });
  }
  return {
    checked: facts.requirements.filter(({ key, retired }) => !retired && (!within || within.has(key))).length,
    rules: rulesLookedAt(facts.rules ?? usualTraceRules).map((words) => ({
      ...words,
      ...(counts.get(words.rule) ?? { open: 0, excepted: 0 }),
    })),
    rows,
    total,
    ended: within ? 0 : exceptions.filter(({ id }) => !standing.has(id)).length,
  };
}

/** How many gaps each of some rules of trace finds, by its id. */
export function gapCounts(facts: GapFacts): Readonly<Record<string, number>> {
  const found = groupBy(gapsOf(facts), ({ rule }) => rule);
  return Object.fromEntries((facts.rules ?? usualTraceRules).map(({ id }) => [id, found.get(id)?.length ?? 0]));
}
