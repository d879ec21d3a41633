import { differencesBetween, type Difference } from './readable';

/** What an entry of the ledger says, apart from its place in the chain. */
export interface EntrySaid {
  readonly action: string;
  readonly kind: string;
  readonly key: string;
  readonly before: unknown;
  readonly after: unknown;
}

/** A sentence about a record: who did it comes before `lead`, the record's key between `lead` and `tail`. */
export interface EntrySentence {
  readonly lead: string;
  readonly tail: string;
}

type Said = Readonly<Record<string, unknown>>;
const said = (value: unknown): Said => (typeof value === 'object' && value !== null ? (value as Said) : {});
const text = (value: unknown): string => (typeof value === 'string' || typeof value === 'number' ? String(value) : '');
const some = (before: string, value: unknown, after = ''): string => (text(value) ? `${before}${text(value)}${after}` : '');
const many = (n: unknown, one: string): string => `${text(n)} ${one}${Number(n) === 1 ? '' : 's'}`;

const verdicts: Readonly<Record<string, string>> = {
  pass: 'pass',
  passed: 'passed',
  fail: 'fail',
  failed: 'failed',
  blocked: 'blocked',
  deviation: 'passed with deviation',
};
const verdict = (value: unknown): string => some(': ', verdicts[text(value)] ?? value);

const because = (now: Said): string => some(': ', now['reason']);
const seconds = (now: Said, old: Said): string => `${some(' from ', old['seconds'], ' s')}${some(' to ', now['seconds'], ' s')}`;

/** A sentence for each thing that is done; `now` is what the entry says after, `old` what it says before. */
const sentences: Readonly<Record<string, (now: Said, old: Said) => EntrySentence>> = {
  'requirement written': () => ({ lead: 'wrote', tail: '' }),
  'case written': () => ({ lead: 'wrote the case', tail: '' }),
  'requirement revised': (now) => ({ lead: 'revised', tail: some(', now revision ', now['revision']) }),
  'case revised': (now) => ({ lead: 'revised the case', tail: some(', now revision ', now['revision']) }),
  'requirement moved': () => ({ lead: 'moved', tail: '' }),
  'review asked for': () => ({ lead: 'asked for review of', tail: '' }),
  'sent back to draft': () => ({ lead: 'sent', tail: ' back to draft' }),
  'requirement approved': (now) => ({ lead: 'approved', tail: some(', revision ', now['revision']) }),
  'wording let stand': (now) => ({
    lead: some('let “', now['words'], '” stand in') || 'let the wording stand of',
    tail: some(': ', now['reason']),
  }),
  'wording looked at anew': (_, old) => ({
    lead: some('looked anew at “', old['words'], '” in') || 'looked anew at the wording of',
    tail: '',
  }),
  'baseline made': (now) => ({ lead: 'signed the baseline', tail: some(', ', now['title']) }),
  'review begun': () => ({ lead: 'asked for the review', tail: '' }),
  'agreed in review': (now) => ({ lead: 'agreed with', tail: some(', revision ', now['revision'], some(' in ', now['review'])) }),
  'change asked for in review': (now) => ({ lead: 'asked for a change of', tail: some(': ', now['note']) }),
  'review signed': () => ({ lead: 'signed what they answered in', tail: '' }),
  'review closed': (now) => ({ lead: 'closed the review', tail: some(': ', now['summary']) }),
  'exception granted': (now) => ({ lead: 'granted an exception for', tail: some(': ', now['reason']) }),
  'exception ended': (now) => ({ lead: 'ended an exception for', tail: some(': ', now['reason']) }),
  'wording set': () => ({ lead: 'set the words by which wording is checked', tail: '' }),
  'case approved': (now) => ({ lead: 'approved the case', tail: some(', revision ', now['revision']) }),
  'case made anew': (now) => ({ lead: 'made the case', tail: some(' anew from ', now['of']) }),
  'cases drafted': (now) => ({ lead: `drafted ${many(now['cases'], 'case')} from`, tail: some(', below ', now['under']) }),
  'cases imported': (now) => ({
    lead: some('imported cases from ', now['file']) || 'imported cases',
    tail: `: ${many(now['cases'], 'case')}`,
  }),
  'kind of case set': () => ({ lead: 'set the kind of case', tail: '' }),
  'model begun': () => ({ lead: 'began the model', tail: '' }),
  'model revised': (now) => ({ lead: 'revised the model', tail: some(', now revision ', now['revision']) }),
  'folder made': (now) => ({ lead: 'made the folder', tail: some(', ', now['title']) }),
  'folder changed': (now) => ({ lead: 'changed the folder', tail: some(', ', now['title']) }),
  'folder retired': () => ({ lead: 'retired the folder', tail: '' }),
  'case filed': (now) => ({ lead: 'filed', tail: some(' in ', now['folder']) || ' in no folder' }),
  'group made': (now) => ({ lead: 'made the group', tail: some(', ', now['title']) }),
  'group changed': () => ({ lead: 'changed the group', tail: '' }),
  'requirement retired': () => ({ lead: 'retired', tail: '' }),
  'case retired': () => ({ lead: 'retired the case', tail: '' }),
  'requirement brought back': () => ({ lead: 'brought back', tail: '' }),
  'case brought back': () => ({ lead: 'brought back the case', tail: '' }),
  'round planned': (now) => ({ lead: 'planned round', tail: `${some(' on ', now['build'])}: ${many(now['runs'] ?? 0, 'run')}` }),
  'run begun': (now) => ({ lead: 'began', tail: `${some(', a run of ', now['case'])}${some(' on ', now['build'])}` }),
  'step recorded': (now) => ({ lead: `recorded step ${text(now['step'])} of`, tail: verdict(now['verdict']) }),
  'run recorded': (now) => ({ lead: 'finished', tail: verdict(now['verdict']) }),
  'run reopened': (now) => ({ lead: 'opened', tail: ` again to correct it${some(': ', now['reason'])}` }),
  'run reassigned': (now) => ({ lead: 'gave', tail: some(' to ', now['tester']) }),
  'evidence added': (now) => ({ lead: some('added ', now['name'], ' to') || 'added evidence to', tail: some(', step ', now['step']) }),
  'evidence taken off': (_, old) => ({
    lead: some('took ', old['name'], ' off') || 'took evidence off',
    tail: some(', step ', old['step']),
  }),
  'problem raised': () => ({ lead: 'raised', tail: '' }),
  'problem changed': () => ({ lead: 'changed', tail: '' }),
  'problem closed': (now) => ({ lead: 'closed', tail: some(': ', now['closedReason'] ?? now['reason']) }),
  'problem reopened': (now) => ({ lead: 'opened', tail: ` again${some(': ', now['reason'])}` }),
  'signed: performed': () => ({ lead: 'signed', tail: ' as performed' }),
  'signed: reviewed': () => ({ lead: 'signed', tail: ' as reviewed' }),
  'trace drawn': () => ({ lead: 'drew the trace', tail: '' }),
  'coverage loaded': (now) => ({
    lead: 'loaded coverage as',
    tail: `${some(' for ', now['build'])}${some(': ', now['sections'], ' parts')}`,
  }),
  attested: (now) => ({ lead: 'signed', tail: `, an attestation of ${text(now['metric'])} of ${text(now['unit'])}` }),
  'round withdrawn': (now) => ({ lead: 'withdrew', tail: some(': ', now['reason']) }),
  'measurements carried': (now) => ({
    lead: 'signed',
    tail: `, carrying what was measured of ${text(now['functions'])} unchanged functions${some(' to the sources of ', now['build'])}`,
  }),
  'results carried': (now) => ({
    lead: 'signed',
    tail: `, carrying ${text(now['runs'])} results${some(' from ', now['from'])}${some(' to ', now['build'])}`,
  }),
  'carried results withdrawn': (now) => ({ lead: 'withdrew', tail: some(': ', now['reason']) }),
  'carried measurements withdrawn': (now) => ({ lead: 'withdrew', tail: some(': ', now['reason']) }),
  'attestation withdrawn': (now) => ({ lead: 'withdrew', tail: some(': ', now['reason']) }),
  'upload withdrawn': (now) => ({ lead: 'withdrew', tail: some(': ', now['reason']) }),
  'upload brought back': (now) => ({ lead: 'brought back', tail: some(': ', now['reason']) }),
  'pack asked for': () => ({ lead: 'asked for a proof pack of', tail: '' }),
  'pack made': () => ({ lead: 'made a proof pack of', tail: '' }),
  'pack cancelled': () => ({ lead: 'cancelled a proof pack of', tail: '' }),
  'build named': () => ({ lead: 'named the build', tail: '' }),
  'build closed': (now) => ({ lead: 'closed the build', tail: some(': ', now['reason']) }),
  'trace confirmed': (now) => ({ lead: 'confirmed the trace', tail: some(': ', now['reason']) }),
  'trace taken back': (now) => ({ lead: 'took back the trace', tail: some(': ', now['reason']) }),
  'roles set': (now) => ({ lead: 'set the roles of', tail: Array.isArray(now) && now.length ? ` to ${now.join(', ')}` : ' to none' }),
  'project begun': () => ({ lead: 'began the project', tail: '' }),
  'storage allowed': (now) => ({ lead: 'allowed', tail: some(' to hold ', now['bytes'], ' bytes of files') }),
  'password changed': () => ({ lead: 'changed the password of', tail: '' }),
  'password reset': () => ({ lead: 'reset the password of', tail: ' to a one-time code' }),
  'account disabled': () => ({ lead: 'disabled the account', tail: '' }),
  'account enabled': () => ({ lead: 'enabled the account', tail: '' }),
  'person renamed': (now, old) => ({ lead: 'renamed', tail: `${some(' from ', old['printedName'])}${some(' to ', now['printedName'])}` }),
  'second factor added': (now) => ({ lead: some('added the second factor ', now['name'], ' to') || 'added a second factor to', tail: '' }),
  'second factor removed': (_, old) => ({
    lead: some('removed the second factor ', old['name'], ' of') || 'removed a second factor of',
    tail: '',
  }),
  'recovery code used': (now) => ({ lead: 'used a recovery code of', tail: some(': ', now['left'], ' are left') }),
  'second factors removed': () => ({ lead: 'removed all second factors of', tail: '' }),
  commented: () => ({ lead: 'commented on', tail: '' }),
  answered: () => ({ lead: 'answered a comment on', tail: '' }),
  'comment resolved': () => ({ lead: 'resolved a comment on', tail: '' }),
  'comment opened again': () => ({ lead: 'opened a comment on', tail: ' again' }),
  'file added': (now) => ({ lead: some('added ', now['name'], ' to') || 'added a file to', tail: '' }),
  'file taken off': (_, old) => ({ lead: some('took ', old['name'], ' off') || 'took a file off', tail: '' }),
  'many records changed': () => ({ lead: 'changed many records at once:', tail: '' }),
  'change of many records taken back': () => ({ lead: 'took back a change of many records:', tail: '' }),
  'requirements imported': (now) => ({ lead: some('imported ', now['file'], ' into') || 'imported a table into', tail: '' }),
  'requirements copied here': (now) => ({ lead: `copied ${many(now['rows'], 'requirement')} into`, tail: '' }),
  'rules of trace set': () => ({ lead: 'set the', tail: '' }),
  'rerun asked for': (now) => ({ lead: 'asked for a rerun of', tail: because(now) }),
  'carried over': (now) => ({ lead: 'carried', tail: ` over${because(now)}` }),
  'deviation accepted': (now) => ({ lead: 'accepted the deviation of', tail: because(now) }),
  returned: (now) => ({ lead: 'returned', tail: because(now) }),
  withdrawn: (now) => ({ lead: 'withdrew', tail: because(now) }),
  'brought back': (now) => ({ lead: 'brought back', tail: because(now) }),
  'set aside': (now) => ({ lead: 'set', tail: ` aside${because(now)}` }),
  'redlines taken': (now) => ({ lead: 'took the redlines of', tail: `${some(' into ', now['case'])}${because(now)}` }),
  'redlines left': (now) => ({ lead: 'left the redlines of', tail: because(now) }),
  'run planned': (now) => ({ lead: 'planned a run of', tail: `${some(' on ', now['build'])}${because(now)}` }),
  'runs added to round': (now) => ({ lead: `added ${many(now['runs'] ?? 0, 'run')} to round`, tail: because(now) }),
  'run scheduled': (now) => ({ lead: 'set when', tail: ` is due${some(': ', now['due'])}${some(', priority ', now['priority'])}` }),
  'run moved to round': (now) => ({ lead: 'moved', tail: some(' to round ', now['round']) }),
  'run moved in its round': () => ({ lead: 'moved', tail: ' within its round' }),
  'run recorded as a whole': (now) => ({ lead: 'recorded', tail: ` as a whole${verdict(now['verdict'])}` }),
  'round placed': (now) => ({ lead: 'placed round', tail: some(' in ', now['folder']) }),
  'round closed': (now) => ({ lead: 'closed round', tail: because(now) }),
  'round opened again': (now) => ({ lead: 'opened round', tail: ` again${because(now)}` }),
  'step redlined': (now) => ({ lead: `changed step ${text(now['step'])} for this run only in`, tail: because(now) }),
  clock: (now, old) => ({ lead: 'let the clock go on of', tail: seconds(now, old) }),
  'clock corrected': (now, old) => ({ lead: 'corrected the clock of', tail: `${seconds(now, old)}${because(now)}` }),
  'handed in from a device': (now) => ({ lead: 'handed in what a device recorded of', tail: some(': ', now['why']) }),
  'problem shown again': (now) => ({ lead: 'said that', tail: some(' is shown by ', now['run']) || ' is shown again' }),
  'life of problem reports set': () => ({ lead: 'set the life of problem reports of', tail: '' }),
  'configurations set': () => ({ lead: 'set the configurations of', tail: '' }),
  'results sent': (now) => ({ lead: 'sent results for', tail: some(' of ', now['tool']) }),
  'results mapped': (now) => ({ lead: some('mapped results named ', now['pattern'], ' to') || 'mapped results to', tail: '' }),
  'results matched again': (now) => ({ lead: some('matched ', now['name'], ' again for') || 'matched results again for', tail: '' }),
  'mapping of results taken back': (_, old) => ({
    lead: some('took back the mapping of ', old['pattern'], ' to') || 'took back a mapping of results to',
    tail: '',
  }),
  'result set aside': (now) => ({ lead: some('set the result ', now['name'], ' aside in') || 'set a result aside in', tail: because(now) }),
  'tracker set': (now) => ({ lead: 'set the tracker of', tail: some(': ', now['name']) }),
  'asked for outside': () => ({ lead: 'asked the tracker outside for', tail: '' }),
  'linked outside': (now) => ({ lead: 'linked', tail: some(' with ', now['item'], ' outside') || ' with an item outside' }),
  'made outside': (now) => ({ lead: 'made', tail: some(' outside, as ', now['item']) || ' outside' }),
  'found outside': (now) => ({ lead: 'found', tail: some(' outside, as ', now['item']) || ' outside' }),
  'link outside ended': (now) => ({ lead: 'ended the link outside of', tail: because(now) }),
  'differs outside': () => ({ lead: 'found that', tail: ' differs outside' }),
  'decided outside': (now) => ({
    lead: some('decided about the ', now['field'], ' of') || 'decided about',
    tail: ', which differed outside',
  }),
  'specification begun': (now) => ({ lead: 'began the specification', tail: some(', ', now['title']) }),
  'outline written': (now) => ({ lead: `wrote ${many(now['rows'] ?? 0, 'row')} into`, tail: '' }),
  'fields set': (now) => ({ lead: 'set fields of', tail: because(now) }),
  'field added': () => ({ lead: 'added the field', tail: '' }),
  'field changed': () => ({ lead: 'changed the field', tail: '' }),
  'external identifier set': (now) => ({ lead: 'set the identifier outside of', tail: some(': ', now) }),
  'kind of trace set': () => ({ lead: 'set the kind of trace', tail: '' }),
  'filter shared': () => ({ lead: 'shared the filter', tail: '' }),
  'filter kept to oneself': () => ({ lead: 'keeps to themselves the filter', tail: '' }),
  'shared filter taken away': () => ({ lead: 'took away the shared filter', tail: '' }),
  'profile corrected': (now) => ({ lead: 'corrected the profile', tail: because(now) }),
  'policy of the installation changed': () => ({ lead: 'changed the policy', tail: '' }),
  'program admitted': () => ({ lead: 'admitted', tail: '' }),
  'program dismissed': () => ({ lead: 'dismissed', tail: '' }),
  'import asked for': (now) => ({ lead: some('asked for the import of ', now['file'], ' into') || 'asked for an import into', tail: '' }),
  'import done': () => ({ lead: 'was done with an import into', tail: '' }),
  'round asked for': (now) => ({ lead: some('asked for the round ', now['title'], ' on') || 'asked for a round on', tail: '' }),
  'plan cancelled': () => ({ lead: 'cancelled the planning of a round on', tail: '' }),
  'import cancelled': () => ({ lead: 'cancelled an import into', tail: '' }),
  'bulk done': () => ({ lead: 'was done with a change of many records,', tail: '' }),
  'bulk cancelled': () => ({ lead: 'cancelled a change of many records,', tail: '' }),
  'account made': () => ({ lead: 'made the account', tail: '' }),
  'access restored by the operator': () => ({ lead: 'gave access back to', tail: ', as the operator' }),
  'session ended': () => ({ lead: 'ended a session of', tail: '' }),
  'wrong password': () => ({ lead: 'gave a wrong password for', tail: '' }),
  'wrong second factor': () => ({ lead: 'gave a wrong second factor for', tail: '' }),
  'locked out': () => ({ lead: 'gave so many wrong passwords that it is locked:', tail: '' }),
  refused: (now) => ({ lead: some('was refused ', now['asked'], ' as') || 'was refused something as', tail: '' }),
  'upgraded to records of format 2': () => ({ lead: 'brought', tail: ' to records of format 2' }),
  'signed in': () => ({ lead: 'signed in as', tail: '' }),
  'signed out': () => ({ lead: 'signed out as', tail: '' }),
};

/** Sentences for what is said of several, or of every kind of record, alike. */
const patterns: readonly (readonly [RegExp, (found: RegExpExecArray, now: Said) => EntrySentence])[] = [
  [/^(\d{1,9}) traces drawn$/, ([, n]) => ({ lead: `drew ${n} traces,`, tail: '' })],
  [/^(\d{1,9}) cases filed$/, ([, n], now) => ({ lead: `filed ${n} cases,`, tail: some(' in ', now['folder']) || ' in no folder' })],
  [/^(\d{1,9}) requirements imported, new$/, ([, n]) => ({ lead: `imported ${n} new requirements,`, tail: '' })],
  [/^signed: (.{1,60})$/, ([, meaning]) => ({ lead: 'signed', tail: `: ${meaning}` })],
  [/^([a-z]{1,30}) (approved|retired|brought back)$/, ([, kind, did]) => ({ lead: `${did} the ${kind}`, tail: '' })],
];

/** An entry as a sentence; of what has no sentence of its own the action stands before the record. */
export function entrySentence({ action: whole, before, after }: EntrySaid): EntrySentence {
  const [now, old] = [said(after), said(before)];
  const action = whole.replace(/, further rows$/, '');
  const more = action === whole ? '' : ', continued';
  const make = sentences[action];
  const { lead, tail } = make ? make(now, old) : bySort(action, now);
  return { lead, tail: tail + more };
}

function bySort(action: string, now: Said): EntrySentence {
  for (const [pattern, make] of patterns) {
    const found = pattern.exec(action);
    if (found) return make(found, now);
  }
  return { lead: `${action}:`, tail: some(' because ', now['reason']) };
}

const plumbing = ['hash', 'format', 'sha256', 'printedName'];

/** What an entry changed, as people read it: hashes and the like are left to those who ask for the entry itself. */
export const entryDifferences = ({ before, after }: Pick<EntrySaid, 'before' | 'after'>): Difference[] =>
  differencesBetween(before, after, plumbing);
