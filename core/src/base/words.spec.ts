import { articled, betweenCommas, fewOf } from './words';

describe('words of lists', () => {
  it('name all where they are few, else a few and how many more', () => {
    expect(fewOf(['a', 'b'], 2)).toBe('a, b');
    expect(fewOf(['a', 'b', 'c', 'd'], 2)).toBe('a, b and 2 more');
    expect(fewOf([], 2)).toBe('');
  });

  it('are read between commas, without blanks and what is empty', () => {
    expect(betweenCommas(' cold, room temperature,, hot ,')).toEqual(['cold', 'room temperature', 'hot']);
    expect(betweenCommas(' , ')).toEqual([]);
  });

  it('stand behind their article', () => {
    expect(['tester', 'author', 'administrator'].map(articled)).toEqual(['a tester', 'an author', 'an administrator']);
  });
});
