/** What a problem report and an item of another tracker have in common, in this project's words; `stage` is empty where the other side's state has no word here. */
export interface Exchanged {
  readonly title: string;
  readonly stage: string;
}
export const exchangedFields = ['title', 'stage'] as const;
export type ExchangedField = (typeof exchangedFields)[number];

/** A field that both sides changed since they last agreed, each otherwise. */
export interface ExchangeConflict {
  readonly field: ExchangedField;
  readonly base: string;
  readonly mine: string;
  readonly theirs: string;
}

export interface Merged {
  /** What is taken over from there. */
  readonly take: Partial<Exchanged>;
  /** What is told there. */
  readonly send: Partial<Exchanged>;
  readonly conflicts: readonly ExchangeConflict[];
  /** What both agree on by now; of a field that is to be sent or is in conflict, what they agreed on before. */
  readonly base: Exchanged;
}

/**
 * Brings a report and its counterpart together, field by field, by what they last agreed on: who alone changed a field is followed; where both did,
 * neither is overwritten.
 */
export function mergeExchanged(base: Exchanged, mine: Exchanged, theirs: Exchanged): Merged {
  const take: Partial<Record<ExchangedField, string>> = {};
  const send: Partial<Record<ExchangedField, string>> = {};
  const agreed: Record<ExchangedField, string> = { ...base };
  const conflicts: ExchangeConflict[] = [];
  for (const field of exchangedFields) {
    const [before, here, there] = [base[field], mine[field], theirs[field]];
    if (here === there) agreed[field] = here;
    else if (there === before) send[field] = here;
    else if (here === before) take[field] = agreed[field] = there;
    else conflicts.push({ field, base: before, mine: here, theirs: there });
  }
  return { take, send, conflicts, base: agreed };
}

/** Which word of the other side stands for which stage here; where several do, the first. */
export interface StageWord {
  readonly stage: string;
  readonly theirs: string;
}
const plain = (word: string): string => word.trim().toLowerCase();

/** The stage that a word of the other side stands for; empty where it stands for none. */
export const stageOfWord = (words: readonly StageWord[], theirs: string): string =>
  words.find((pair) => plain(pair.theirs) === plain(theirs))?.stage ?? '';
/** The word of the other side for a stage; undefined where none was given. */
export const wordOfStage = (words: readonly StageWord[], stage: string): string | undefined =>
  words.find((pair) => pair.stage === stage)?.theirs;
