/** What a value of a record or an entry says, as people read it: objects and lists line by line, nothing for what is empty. */
export function readable(value: unknown): string {
  if (value === null || value === undefined || value === '') return '';
  if (value === true) return 'yes';
  if (value === false) return 'no';
  if (typeof value === 'number' || typeof value === 'string') return String(value);
  if (Array.isArray(value)) return value.map((item, i) => `${i + 1}. ${readable(item)}`).join('\n');
  return Object.entries(value as object)
    .filter(([, item]) => readable(item) !== '')
    .map(([name, item]) => `${name}: ${readable(item)}`)
    .join('; ');
}

/** The name of a member as words: `plannedMinutes` is "Planned minutes". */
export const memberWords = (name: string): string =>
  name.replace(/([A-Z])/g, (letter) => ` ${letter.toLowerCase()}`).replace(/^./, (letter) => letter.toUpperCase());

/** One member that is another one now, both as people read them. */
export interface Difference {
  readonly name: string;
  readonly before: string;
  readonly after: string;
}

type Members = Readonly<Record<string, unknown>>;
const membersOf = (value: unknown): Members =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
    ? (value as Members)
    : value === null || value === undefined
      ? {}
      : { value };

/** What differs between two values, member by member, in the order in which they stand; `without` are left out. */
export function differencesBetween(before: unknown, after: unknown, without: readonly string[] = []): Difference[] {
  const [old, now] = [membersOf(before), membersOf(after)];
  return [...new Set([...Object.keys(old), ...Object.keys(now)])]
    .filter((name) => !without.includes(name))
    .flatMap((name): Difference[] => {
      if (name !== 'html') return [{ name: memberWords(name), before: readable(old[name]), after: readable(now[name]) }];
      // A layout is told only where the words are the same: their difference says the rest.
      return old['text'] === now['text'] && old[name] !== now[name] ? [{ name: 'Layout', before: '', after: 'laid out differently' }] : [];
    })
    .filter((change) => change.before !== change.after);
}
