import { knots } from '@core/base';
import { knotWords } from '@core/prove';
import { knotIcons } from './ui/knot-icons';

/** What can be done from anywhere, besides going to a place. */
export type JumpAct = { readonly do: 'theme' | 'keys' | 'signOut' } | { readonly do: 'build'; readonly build: string };

/** A place of the project, or something to do, that the jump offers beside records. */
export interface JumpOffer {
  readonly group: 'Recent' | 'Go to' | 'Do';
  readonly icon: string;
  readonly words: string;
  readonly note: string;
  /** Where it leads, or what it does. */
  readonly to: readonly string[] | JumpAct;
}

interface Known extends JumpOffer {
  /** Other words under which people look for it. */
  readonly also: string;
}

export interface JumpScope {
  readonly slug: string;
  readonly build: string;
  readonly builds: readonly string[];
  /** The places that were visited, the newest last. */
  readonly trail: readonly { readonly label: string; readonly url: string }[];
}

const knotAlso = {
  specify: 'requirements specifications tree import',
  design: 'cases steps library',
  run: 'rounds runs plan bench record',
  measure: 'code coverage load sources uploads attest',
  prove: 'pack proof audit standard key fingerprint',
} as const;

function places({ slug }: JumpScope): Known[] {
  const place = (icon: string, words: string, also: string, ...path: string[]): Known => ({
    group: 'Go to',
    icon,
    words,
    note: '',
    also,
    to: ['/', slug, ...path],
  });
  return [
    place('today', 'Today', 'waiting mine bell jobs follow', 'today'),
    place('link', 'Cord board', 'matrix breaks proved', 'cord'),
    ...knots.map((knot) => place(knotIcons[knot], knotWords[knot], knotAlso[knot], knot)),
    place('account_tree', 'Models', 'flows parameters decision tables state tables paths rows', 'design', 'models'),
    place('draft', 'Draft cases', 'from requirements tree make', 'design', 'drafts'),
    place('fact_check', 'Enough cases?', 'sufficiency boundaries gaps never run', 'design', 'sufficiency'),
    place('bug_report', 'Problem reports', 'bugs defects', 'run', 'problems'),
    place('history', 'Ledger', 'audit trail entries verify chain', 'ledger'),
    place('settings', 'Project and people', 'settings members roles profile policies fields kinds of trace', 'settings'),
  ];
}

function acts({ build, builds }: JumpScope): Known[] {
  const act = (icon: string, words: string, also: string, to: JumpAct): Known => ({ group: 'Do', icon, words, note: '', also, to });
  return [
    ...builds
      .filter((name) => name !== build)
      .map((name) => act('deployed_code', `Prove build ${name}`, 'choose switch change', { do: 'build', build: name })),
    act('contrast', 'Turn light and dark', 'theme', { do: 'theme' }),
    act('keyboard', 'Show the keys that work here', 'shortcuts help', { do: 'keys' }),
    act('logout', 'Sign out', 'leave log', { do: 'signOut' }),
  ];
}

/** Offers whose words hold all that is typed, those that begin with it first; with nothing typed the places visited last. */
export function jumpOffers(scope: JumpScope, typed: string): JumpOffer[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length)
    return [...scope.trail]
      .reverse()
      .slice(0, 8)
      .map(({ label, url }) => ({ group: 'Recent', icon: 'history', words: label, note: '', to: [url] }));
  const fits = ({ words: own, also }: Known): boolean => words.every((word) => `${own} ${also}`.toLowerCase().includes(word));
  const begins = ({ words: own }: JumpOffer): number => (own.toLowerCase().startsWith(words[0]) ? 0 : 1);
  return [...places(scope), ...acts(scope)]
    .filter(fits)
    .sort((a, b) => begins(a) - begins(b))
    .map(({ also: _, ...offer }) => offer)
    .slice(0, 6);
}
