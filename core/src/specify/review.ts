import { envelope2 } from '../base';

/** What one person answered about a requirement in a review. */
export interface ReviewAnswer {
  readonly login: string;
  readonly revision: number;
  readonly answer: 'agree' | 'change';
  readonly note: string;
  readonly at: string;
}

/** A requirement that people were asked about. */
export interface ReviewItem {
  readonly key: string;
  /** The revision when the review began, and the present one. */
  readonly revision: number;
  readonly now: number;
  readonly retired: boolean;
  /** In the order in which they were given. */
  readonly answers: readonly ReviewAnswer[];
}

/** How somebody stands to a requirement: what they answered about the present revision; `again` where it changed since. */
export type ReviewStanding = 'open' | 'agree' | 'change' | 'again';

/** The newest answer of a person on the present revision counts. What was taken out of use is asked of nobody. */
export function standingOf({ answers, now, retired }: ReviewItem, login: string): ReviewStanding {
  const mine = answers.filter((a) => a.login === login);
  const last = mine.at(-1);
  if (!last) return retired ? 'agree' : 'open';
  if (last.revision === now || retired) return last.answer;
  // Who asked for the change has it before them: they look again as everybody does.
  return 'again';
}

export interface ReviewProgress {
  readonly login: string;
  readonly agree: number;
  readonly change: number;
  /** Not answered yet, and to be answered again. */
  readonly open: number;
  readonly again: number;
}

export const progressOf = (items: readonly ReviewItem[], login: string): ReviewProgress => {
  const count = (standing: ReviewStanding): number => items.filter((item) => standingOf(item, login) === standing).length;
  return { login, agree: count('agree'), change: count('change'), open: count('open'), again: count('again') };
};

/** Frozen, format 2: what somebody signs who has looked at everything that they were asked about. */
export function reviewedText2(key: string, login: string, items: readonly ReviewItem[]): string {
  return envelope2('reviewed', key, 1, {
    login,
    items: items.map((item) => {
      const last = item.answers.filter((a) => a.login === login).at(-1);
      return { key: item.key, revision: last?.revision ?? null, answer: last?.answer ?? null, note: last?.note ?? '' };
    }),
  });
}

/** Frozen, format 2: what closes a review: everything that was answered, by everybody, and the summary. */
export function reviewText2(
  key: string,
  {
    title,
    question,
    people,
    items,
    summary,
  }: {
    readonly title: string;
    readonly question: string;
    readonly people: readonly string[];
    readonly items: readonly ReviewItem[];
    readonly summary: string;
  },
): string {
  return envelope2('review', key, 1, {
    title,
    question,
    people: [...people],
    items: items.map((item) => ({
      key: item.key,
      revision: item.now,
      answers: item.answers.map(({ login, revision, answer, note, at }) => ({ login, revision, answer, note, at })),
    })),
    summary,
  });
}

/** What stands in the way of closing a review; empty where nothing does. `signed` are those who signed what they answered last. */
export function closingFaults(people: readonly string[], items: readonly ReviewItem[], signed: ReadonlySet<string>): string[] {
  const faults: string[] = [];
  for (const login of people) {
    const { open, again } = progressOf(items, login);
    if (open + again) faults.push(`${login} has ${open + again} still to answer.`);
    else if (!signed.has(login)) faults.push(`${login} has not signed yet.`);
  }
  return faults;
}
