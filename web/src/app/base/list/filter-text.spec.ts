import { askedValues, filterOf, quoted, readFilter, suggestions, together, typedField, withValue, type FilterField } from './filter-text';

const fields: readonly FilterField[] = [
  { name: 'state', words: 'State', type: 'text', values: ['draft', 'review', 'approved'] },
  { name: 'level', words: 'Level', type: 'text', values: ['SIL 2', 'SIL 3'] },
  { name: 'minutes', field: 'plannedMinutes', words: 'Planned minutes', type: 'number' },
  { name: 'cases', field: 'trace.cases', words: 'Cases', type: 'number', counted: true },
  { name: 'derived', words: 'Derived', type: 'yesNo' },
  { name: 'changed', field: 'updatedAt', words: 'Changed', type: 'text' },
  { name: 'own.risk', field: 'own:7', words: 'Risk', type: 'text' },
];
const ask = (text: string) => filterOf(readFilter(text, fields));

describe('the text of a filter', () => {
  it('takes one value of a field more, and one less, and leaves the rest as it was typed', () => {
    expect(withValue('', 'state', 'draft')).toBe('state:draft');
    expect(withValue('stop state:draft minutes:5..', 'state', 'review')).toBe('stop minutes:5.. state:draft,review');
    expect(withValue('stop State:draft,review', 'state', 'draft')).toBe('stop state:review');
    expect(withValue('level:"SIL 3" x', 'level', 'SIL 3')).toBe('x');
    expect(withValue('x', 'level', 'SIL 2')).toBe('x level:"SIL 2"');
    expect(askedValues('-state:draft level:"SIL 2",none', 'level')).toEqual(['SIL 2', 'none']);
    expect(askedValues('-state:draft', 'state')).toEqual([]);
  });

  it('finds words together, and questions beside them', () => {
    expect(ask('')).toBeUndefined();
    expect(ask('  stop   chain ')).toEqual({ words: 'stop chain' });
    expect(ask('stop state:draft chain')).toEqual({ and: [{ field: 'state', is: ['draft'] }, { words: 'stop chain' }] });
    expect(ask('"stop chain"')).toEqual({ words: 'stop chain' });
    expect(ask('BRK-007')).toEqual({ words: 'BRK-007' });
    expect(ask('-sensor')).toEqual({ not: { words: 'sensor' } });
  });

  it('takes several values for “or”, quotes round what has spaces, and a hyphen for “not”', () => {
    expect(ask('state:draft,review')).toEqual({ field: 'state', is: ['draft', 'review'] });
    expect(ask('level:"SIL 3"')).toEqual({ field: 'level', is: ['SIL 3'] });
    expect(ask('level:"SIL 2","SIL 3"')).toEqual({ field: 'level', is: ['SIL 2', 'SIL 3'] });
    expect(ask('-level:"sil 3"')).toEqual({ not: { field: 'level', is: ['SIL 3'] } });
    expect(ask('STATE:Draft')).toEqual({ field: 'state', is: ['draft'] });
    expect(ask('own.risk:high')).toEqual({ field: 'own:7', is: ['high'] });
  });

  it('bounds numbers and dates, on both sides or on one', () => {
    expect(ask('minutes:5..10')).toEqual({ field: 'plannedMinutes', from: 5, to: 10 });
    expect(ask('minutes:..10')).toEqual({ field: 'plannedMinutes', to: 10 });
    expect(ask('minutes:7')).toEqual({ field: 'plannedMinutes', is: [7] });
    expect(ask('changed:2026-01-01..2026-01-31')).toEqual({ field: 'updatedAt', from: '2026-01-01', to: '2026-01-31\uffff' });
  });

  it('asks for none and some, yes and no', () => {
    expect(ask('cases:none')).toEqual({ field: 'trace.cases', is: [0] });
    expect(ask('cases:some')).toEqual({ field: 'trace.cases', from: 1 });
    expect(ask('own.risk:none')).toEqual({ field: 'own:7', empty: true });
    expect(ask('derived:yes')).toEqual({ field: 'derived', is: [true] });
  });

  it('tells what it does not understand, and asks nothing for what is not whole yet', () => {
    const faults = (text: string) => readFilter(text, fields).flatMap(({ fault }) => fault ?? []);
    expect(faults('colour:red')).toEqual(['There is no field “colour” here.']);
    expect(faults('minutes:many')).toEqual(['“minutes” is a number, or two with .. between them.']);
    expect(faults('derived:perhaps')).toEqual(['“derived” is yes or no.']);
    expect(faults('minutes:..')).toEqual(['Say where “minutes” begins or ends.']);
    expect(faults('derived:yes..no')).toEqual(['“derived” is yes or no.']);
    expect(readFilter('state:', fields)).toEqual([{ text: 'state:', isWords: false }]);
    expect(ask('state: minutes:x colour:red lamp')).toEqual({ words: 'lamp' });
  });

  it('offers fields by how they begin or are called, then their values', () => {
    const texts = (typed: string) => suggestions(typed, fields).map(({ text }) => text);
    expect(texts('')).toEqual([]);
    expect(texts('lamp st')).toEqual(['state:']);
    expect(texts('-risk')).toEqual(['-own.risk:']);
    expect(texts('state:')).toEqual(['state:draft', 'state:review', 'state:approved']);
    expect(texts('state:draft,re')).toEqual(['state:draft,review']);
    expect(texts('level:')).toEqual(['level:"SIL 2"', 'level:"SIL 3"']);
    expect(texts('derived:n')).toEqual(['derived:no']);
    expect(texts('cases:')).toEqual(['cases:none', 'cases:some']);
    expect(texts('colour:r')).toEqual([]);
    const folder: FilterField = { name: 'folder', words: 'Folder', type: 'text', values: ['F-1', 'F-2'], names: { 'F-2': 'Brake' } };
    expect(suggestions('folder:bra', [folder])).toEqual([{ text: 'folder:F-2', words: 'Brake' }]);
    expect(suggestions('folder:f', [folder]).map(({ words }) => words)).toEqual(['F-1', 'Brake']);
  });

  it('tells the field whose value is typed at the end, and none behind a blank', () => {
    const typed = (text: string) => typedField(text, fields)?.name;
    expect(typed('lamp state:')).toBe('state');
    expect(typed('-Minutes:5')).toBe('minutes');
    expect(typed('level:"SIL ')).toBe('level');
    for (const text of ['', 'state', 'state:draft ', 'state:draft lamp', 'colour:']) expect(typed(text)).withContext(text).toBeUndefined();
  });

  it('whatever is offered is understood as what it says', () => {
    for (const field of fields)
      for (const { text } of suggestions(`${field.name}:`, fields)) {
        const [piece, ...more] = readFilter(text, fields);
        expect(more).toEqual([]);
        expect(piece.fault).withContext(text).toBeUndefined();
        expect(piece.filter).withContext(text).toBeDefined();
      }
    expect(quoted('a b')).toBe('"a b"');
    expect(together([undefined, { words: 'a' }])).toEqual({ words: 'a' });
  });
});
