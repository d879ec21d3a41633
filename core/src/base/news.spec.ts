import { decidingActions, mentionsIn, newsKind } from './news';

describe('news', () => {
  it('is of the kind that concerns one most', () => {
    const kind = (action: string, text?: string) =>
      newsKind({ action, after: text === undefined ? null : { comment: 1, text } }, 'ada.lund');
    expect(kind('commented', 'Look at this, @ada.lund.')).toBe('mentioned');
    expect(kind('answered', 'So says @ada.lund')).toBe('mentioned');
    expect(kind('answered', 'So says @ada.lundgren')).toBe('answered');
    expect(kind('commented', 'mail me at x@ada.lundy')).toBe('commented');
    expect([kind('commented'), kind('requirement revised', '@ada.lund'), kind('trace drawn')]).toEqual(['commented', 'changed', 'changed']);
    for (const action of decidingActions) expect(kind(action)).withContext(action).toBe('decided');
  });

  it('names people as comments do, without the full stop behind them', () => {
    expect(mentionsIn('@tom and @bo.b-1: see @ada.lund. Not @A, not @1x')).toEqual(['tom', 'bo.b-1', 'ada.lund']);
  });
});
