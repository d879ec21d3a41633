import { convertDifference } from './units';

/** Between which values a reading must lie, in one unit. */
export interface Limits {
  /** Absent where there is none on that side. */
  readonly low?: number;
  readonly high?: number;
  /** Is the limit itself still as required? */
  readonly lowInside: boolean;
  readonly highInside: boolean;
  /** The value that is aimed at, where one was named. */
  readonly nominal?: number;
  readonly unit: string;
}

export type LimitsRead = { readonly limits: Limits } | { readonly fault: string };

type Side = 'atMost' | 'less' | 'atLeast' | 'more' | 'exactly';
/** Words that begin a limit, longer ones first. */
const beginnings: readonly (readonly [Side, readonly string[]])[] = [
  ['atMost', ['no', 'more', 'than']],
  ['atMost', ['not', 'more', 'than']],
  ['atLeast', ['no', 'less', 'than']],
  ['atLeast', ['not', 'less', 'than']],
  ['atMost', ['at', 'most']],
  ['atLeast', ['at', 'least']],
  ['less', ['less', 'than']],
  ['more', ['more', 'than']],
  ['more', ['greater', 'than']],
  ['atMost', ['up', 'to']],
  ['atMost', ['within']],
  ['atMost', ['maximum']],
  ['atMost', ['max']],
  ['atMost', ['max.']],
  ['atLeast', ['minimum']],
  ['atLeast', ['min.']],
  ['less', ['below']],
  ['less', ['under']],
  ['more', ['above']],
  ['more', ['over']],
  ['exactly', ['exactly']],
  ['atMost', ['≤']],
  ['atLeast', ['≥']],
  ['less', ['<']],
  ['more', ['>']],
  ['exactly', ['=']],
];

const numberWord = /^[-+−]?\d{1,15}(?:[.,]\d{1,12})?$/;
const read = (word: string): number => Number(word.replace('−', '-').replace(',', '.'));

/** Numbers, units and words of a limit, one by one. */
function wordsOf(text: string): string[] {
  return text
    .replaceAll(/\+\/[-−]/g, ' ± ')
    .replaceAll('±', ' ± ')
    .replaceAll('<=', ' ≤ ')
    .replaceAll('>=', ' ≥ ')
    .replaceAll(/([≤≥<>=])/g, ' $1 ')
    .replaceAll(/(\d)\.{2,3}(\d)/g, '$1 to $2')
    .replaceAll(/(\d)\s*–\s*(\d)/g, '$1 to $2')
    .split(/\s+/)
    .flatMap((word) => {
      const glued = /^([-+−]?\d{1,15}(?:[.,]\d{1,12})?)([^\d.,].*)$/.exec(word);
      return glued ? [glued[1], glued[2]] : word ? [word] : [];
    });
}

interface Amount {
  readonly value: number;
  readonly unit: string;
}

/** Reads from the words one after the other. */
class Reader {
  at = 0;
  constructor(private readonly words: readonly string[]) {}

  get done(): boolean {
    return this.at >= this.words.length;
  }
  get next(): string {
    return this.words[this.at] ?? '';
  }
  take(...wanted: readonly string[]): boolean {
    if (!wanted.every((word, i) => this.words[this.at + i]?.toLowerCase() === word)) return false;
    this.at += wanted.length;
    return true;
  }
  amount(): Amount | undefined {
    if (!numberWord.test(this.next)) return undefined;
    const value = read(this.words[this.at++]);
    const next = this.next;
    const joins = ['to', 'and', '±', ''].includes(next.toLowerCase()) || numberWord.test(next);
    if (joins) return { value, unit: '' };
    this.at++;
    return { value, unit: next };
  }
}

/**
 * Limits as requirements state them: `at most 120 ms`, `3.0 to 5.0 bar`, `70 km/h ± 2 %`, `at least 3 bar and less than 5 bar`, `exactly 4`.
 * What cannot be read is answered as words that say why.
 */
export function readLimits(text: string): LimitsRead {
  const reader = new Reader(wordsOf(text));
  if (reader.done) return { fault: 'No limits are given.' };
  let limits: Limits = { lowInside: true, highInside: true, unit: '' };
  do {
    const side = beginnings.find(([, words]) => reader.take(...words))?.[0];
    const part = side ? oneSided(reader, side) : between(reader);
    if ('fault' in part) return part;
    const { unit } = part.limits;
    if (limits.unit && unit && unit !== limits.unit) return { fault: `${limits.unit} and ${unit} are two units: use one.` };
    limits = { ...limits, ...part.limits, unit: unit || limits.unit };
  } while (reader.take('and'));
  if (!reader.done) return { fault: `“${reader.next}” cannot be read here.` };
  const { low, high } = limits;
  if (low !== undefined && high !== undefined && (low > high || (low === high && !(limits.lowInside && limits.highInside))))
    return { fault: 'No value lies between these limits.' };
  return { limits };
}

function oneSided(reader: Reader, side: Side): LimitsRead {
  const amount = reader.amount();
  if (!amount) return { fault: reader.next ? `“${reader.next}” is no number.` : 'A number is missing.' };
  const { value, unit } = amount;
  const inside = { lowInside: true, highInside: true, unit };
  if (side === 'exactly') return { limits: { ...inside, low: value, high: value, nominal: value } };
  return {
    limits:
      side === 'atMost' || side === 'less'
        ? ({ high: value, highInside: side === 'atMost', unit } as Limits)
        : ({ low: value, lowInside: side === 'atLeast', unit } as Limits),
  };
}

/** Two numbers, one with a tolerance, or one alone. */
function between(reader: Reader): LimitsRead {
  const joined = reader.take('between') ? 'and' : 'to';
  if (joined === 'to') reader.take('from');
  const first = reader.amount();
  if (!first) return { fault: `“${reader.next}” is no number, and begins no limit.` };
  const inside = { lowInside: true, highInside: true };
  if (reader.take('±')) {
    const tolerance = reader.amount();
    if (!tolerance) return { fault: 'A number is missing behind ±.' };
    const unit = first.unit || tolerance.unit;
    const width =
      tolerance.unit === '%' && first.unit !== '%'
        ? (Math.abs(first.value) * tolerance.value) / 100
        : convertDifference(tolerance.value, tolerance.unit || unit, unit);
    if (width === undefined) return { fault: `${tolerance.unit} is no tolerance of ${unit}.` };
    const [low, high] = [first.value - Math.abs(width), first.value + Math.abs(width)].map((v) => Number(v.toPrecision(12)));
    return { limits: { ...inside, low, high, nominal: first.value, unit: tolerance.unit === '%' ? first.unit : unit } };
  }
  if (reader.take(joined)) {
    const second = reader.amount();
    if (!second) return { fault: 'A second number is missing.' };
    if (first.unit && second.unit && first.unit !== second.unit)
      return { fault: `${first.unit} and ${second.unit} are two units: use one.` };
    return { limits: { ...inside, low: first.value, high: second.value, unit: second.unit || first.unit } };
  }
  if (joined === 'and') return { fault: 'Behind “between” two numbers are joined by “and”.' };
  return { limits: { ...inside, low: first.value, high: first.value, nominal: first.value, unit: first.unit } };
}
