import { knots } from '@core/base';
import { knotWords } from '@core/prove';
import type { HereAct } from './here-acts';
import { knotIcons } from './ui/knot-icons';
import type { Visited } from './visited';

/** What can be done besides going to a place: from anywhere, or by a button of the page. */
export type JumpAct =
  | { readonly do: 'theme' | 'keys' | 'signOut' }
  | { readonly do: 'build'; readonly build: string }
  | { readonly do: 'press'; readonly button: HTMLElement };

/** A place of the project, or something to do, that the jump offers beside records. */
export interface JumpOffer {
  readonly group: 'Recent' | 'Here' | 'Go to' | 'Do';
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
  /** The records that were looked at, the newest last. */
  readonly visited: readonly Visited[];
  /** What can be pressed on the page. */
  readonly here: readonly HereAct[];
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
    place('menu_book', 'Document', 'read text specification as one', 'specify', 'read'),
    place('checklist', 'Reviews', 'questions answers sign protocol', 'specify', 'reviews'),
    place('table', 'Trace matrix', 'links cross table', 'specify', 'matrix'),
    place('link', 'Threads', 'from above to below traces', 'specify', 'threads'),
    place('warning', 'Suspect traces', 'doubt confirm changed', 'specify', 'suspect'),
    place('link', 'Proposed traces', 'likely pairs links', 'specify', 'proposed'),
    place('rule', 'Gaps', 'missing nothing below', 'specify', 'gaps'),
    place('edit_note', 'Wording', 'vague words findings language', 'specify', 'wording'),
    place('library_books', 'Baselines', 'frozen compare', 'specify', 'baselines'),
    place('upload_file', 'Import requirements', 'reqif table document take', 'specify', 'import'),
    place('account_tree', 'Models', 'flows parameters decision tables state tables paths rows', 'design', 'models'),
    place('draft', 'Draft cases', 'from requirements tree make', 'design', 'drafts'),
    place('stacks', 'Groups of cases', 'sets order', 'design', 'groups'),
    place('fact_check', 'Enough cases?', 'sufficiency boundaries gaps never run', 'design', 'sufficiency'),
    place('schedule', 'Fewest cases', 'selection minutes suffice', 'design', 'selection'),
    place('upload_file', 'Import cases', 'table outline take', 'design', 'import'),
    place('rule', 'Kinds of case', 'fields parts', 'design', 'kinds'),
    place('add', 'Plan a round', 'new runs', 'run', 'plan'),
    place('table', 'Results beside each other', 'comparison verdicts', 'run', 'results'),
    place('draw', 'Runs to sign', 'signature performed reviewed', 'run', 'sign'),
    place('upload_file', 'Results of programs', 'junit tap token cord-send machines', 'run', 'programs'),
    place('history', 'Needed again', 'rerun change impact carried', 'run', 'again'),
    place('bug_report', 'Problem reports', 'bugs defects', 'run', 'problems'),
    place('link', 'Tracker outside', 'issues exchange', 'run', 'tracker'),
    place('settings', 'Configurations', 'rigs dimensions variants', 'run', 'configurations'),
    place('download', 'On this device', 'offline taken along not sent', 'run', 'device'),
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

const pressed = ({ here }: JumpScope): Known[] =>
  here.map(({ words, also, button }) => ({ group: 'Here', icon: 'bolt', words, note: '', also, to: { do: 'press', button } }));

/** Offers whose words hold all that is typed, those that begin with it first; with nothing typed the places visited last. */
export function jumpOffers(scope: JumpScope, typed: string): JumpOffer[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length)
    return [...scope.visited]
      .reverse()
      .slice(0, 8)
      .map(({ label, title, url }): JumpOffer => ({ group: 'Recent', icon: 'history', words: label, note: title ?? '', to: [url] }))
      .concat(pressed(scope).slice(0, 8));
  const fits = ({ words: own, also }: Known): boolean => words.every((word) => `${own} ${also}`.toLowerCase().includes(word));
  const begins = ({ words: own }: JumpOffer): number => (own.toLowerCase().startsWith(words[0]) ? 0 : 1);
  const ranked = (known: readonly Known[]): JumpOffer[] =>
    known
      .filter(fits)
      .sort((a, b) => begins(a) - begins(b))
      .map(({ also: _, ...offer }) => offer)
      .slice(0, 6);
  return [pressed(scope), places(scope), acts(scope)].flatMap(ranked);
}
