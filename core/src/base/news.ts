/** Why an entry of the ledger is news for somebody: each kind can be switched off. */
export const newsKinds = ['mentioned', 'answered', 'decided', 'commented', 'changed'] as const;
export type NewsKind = (typeof newsKinds)[number];

export const newsWords: Readonly<Record<NewsKind, string>> = {
  mentioned: 'Somebody names you in a comment',
  answered: 'A comment is answered where you take part',
  decided: 'What you wrote or recorded is approved, reviewed, returned or decided about',
  commented: 'A comment on what you follow',
  changed: 'Anything else that others do to what you follow',
};

/** What others decide about somebody's work, as the ledger names it. */
export const decidingActions: readonly string[] = [
  'requirement approved',
  'case approved',
  'sent back to draft',
  'signed: reviewed',
  'carried over',
  'rerun asked for',
  'returned',
  'deviation accepted',
  'set aside',
  'withdrawn',
  'run reassigned',
];
const deciding = new Set(decidingActions);

/** People named in a text by `@` and their sign-in name. */
export const mentionsIn = (text: string): string[] => [...text.matchAll(/@([a-z](?:[a-z0-9.-]{0,39}[a-z0-9]))/g)].map(([, login]) => login);

/** Which kind of news an entry is for somebody who follows its record, or whose work it is about. */
export function newsKind({ action, after }: { readonly action: string; readonly after: unknown }, login: string): NewsKind {
  if (action === 'commented' || action === 'answered') {
    const text = typeof after === 'object' && after !== null && 'text' in after ? String(after.text) : '';
    return mentionsIn(text).includes(login) ? 'mentioned' : action;
  }
  return deciding.has(action) ? 'decided' : 'changed';
}
