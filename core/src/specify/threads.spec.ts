import { threadCells, threadGap, type Thread } from './threads';

const end = (key: string, state = 'approved', suspect = false) => ({ key, title: '', state, suspect });
const bare: Thread = {
  key: 'R-1',
  title: 'Closes',
  state: 'draft',
  level: 'SIL 2',
  needsParent: true,
  parents: [],
  children: [],
  cases: [],
  runs: [],
  functions: [],
  notInCode: false,
  problems: [],
};

describe('A thread', () => {
  it('names what it lacks, and what is not to be expected is no gap', () => {
    expect(threadCells(bare)).toEqual(['R-1', 'Closes', 'SIL 2', 'draft', 'no parent', '', 'no case', '', 'no code', '']);
    expect(threadGap({ ...bare, needsParent: false }, 'parents')).toBe('');
    expect(threadGap({ ...bare, cases: [end('C-1')] }, 'runs')).toBe('not run');
    expect(threadGap({ ...bare, notInCode: true }, 'functions')).toBe('');
    expect(threadGap({ ...bare, children: [end('U-1')] }, 'functions')).toBe('');
  });

  it('says of each end what is to be known of it', () => {
    const full = {
      ...bare,
      parents: [end('S-1', 'approved', true)],
      children: [end('U-1'), end('U-2', 'draft', true)],
      cases: [end('C-1')],
      runs: [end('RUN-1', 'passed'), end('RUN-2', 'failed')],
      functions: ['brake_close'],
      problems: [end('PR-1', 'open')],
    };
    expect(threadCells(full).slice(4)).toEqual([
      'S-1 suspect',
      'U-1; U-2 suspect',
      'C-1',
      'RUN-1 passed; RUN-2 failed',
      'brake_close',
      'PR-1 open',
    ]);
  });
});
