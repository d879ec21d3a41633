import { firstConfiguration, roundConfiguration } from './round-words';

describe('the configurations of a round, in words', () => {
  it('are all named where there is room, and else counted, with no name cut in its middle', () => {
    expect(roundConfiguration(['rig 2'])).toBe('rig 2');
    expect(roundConfiguration(['rig 1', 'rig 2'])).toBe('rig 1; rig 2');
    const many = Array.from({ length: 100 }, (_, i) => `chamber ${i + 1}`);
    expect(roundConfiguration(many)).toBe('100 configurations, from chamber 1 to chamber 100');
    expect(roundConfiguration([...many.slice(1), 'x'.repeat(300)]).length).toBeLessThanOrEqual(300);
    expect(roundConfiguration(['y'.repeat(300), 'x'.repeat(300)]).length).toBeLessThanOrEqual(300);
  });

  it('tell the first of them, which the next round takes over', () => {
    expect(['rig 2', 'rig 1; rig 2', '100 configurations, from chamber 1 to chamber 100', ''].map(firstConfiguration)).toEqual([
      'rig 2',
      'rig 1',
      'chamber 1',
      '',
    ]);
  });
});
