import fc from 'fast-check';
import { rollUp, runHash, signRefusal, stepVerdicts, type RunRecord } from './index';

const record: RunRecord = {
  key: 'RUN-001',
  round: 'R-001',
  build: '1.0',
  configuration: 'rig',
  unit: '',
  tools: '',
  caseKey: 'C-001',
  caseRevision: 1,
  case: { title: '', objective: '', preconditions: '', steps: [], plannedMinutes: 0 },
  row: null,
  tester: 'tom',
  startedAt: null,
  finishedAt: null,
  seconds: 0,
  steps: [],
  evidence: [],
  verdict: 'passed',
  corrections: [],
};

describe('the verdict of a run', () => {
  // Common practice: all steps pass, the run passes; any fails, it fails; one that cannot be done blocks it.
  it('rolls up', () => {
    expect(rollUp(['pass', 'pass'])).toBe('passed');
    expect(rollUp(['pass', 'fail', null])).toBe('failed');
    expect(rollUp(['blocked', 'pass'])).toBe('blocked');
    expect(rollUp(['blocked', 'fail'])).toBe('failed');
    expect(rollUp(['deviation', 'pass'])).toBe('deviation');
    expect(rollUp(['pass', null])).toBeUndefined();
    expect(rollUp([])).toBeUndefined();
  });

  it('never gets better by another step', () => {
    const rank = { passed: 0, deviation: 1, blocked: 2, failed: 3 };
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...stepVerdicts), { minLength: 1 }), fc.constantFrom(...stepVerdicts), (steps, more) => {
        const [before, after] = [rollUp(steps), rollUp([...steps, more])];
        expect(rank[after ?? 'passed']).toBeGreaterThanOrEqual(rank[before ?? 'passed']);
      }),
    );
  });
});

describe('signing', () => {
  const run = { tester: 'tom', verdict: 'passed' as const, superseded: false, withdrawn: false, returned: false, hash: runHash(2, record) };
  const performed = { meaning: 'performed' as const, login: 'tom', hash: run.hash };

  it('lets the tester sign first and somebody else review', () => {
    expect(signRefusal('performed', 'tom', run, [])).toBeUndefined();
    expect(signRefusal('performed', 'ann', run, [])).toBe('notTester');
    expect(signRefusal('reviewed', 'ann', run, [])).toBe('notPerformed');
    expect(signRefusal('reviewed', 'tom', run, [performed])).toBe('sameperson');
    expect(signRefusal('reviewed', 'ann', run, [performed])).toBeUndefined();
    expect(signRefusal('reviewed', 'ann', { ...run, hash: 'x' }, [performed])).toBe('changed');
    expect(signRefusal('performed', 'tom', run, [performed])).toBe('alreadySigned');
    expect(signRefusal('performed', 'tom', { ...run, superseded: true }, [])).toBe('superseded');
    expect(signRefusal('reviewed', 'ann', { ...run, withdrawn: true }, [performed])).toBe('withdrawn');
    expect(signRefusal('reviewed', 'ann', { ...run, returned: true }, [performed])).toBe('returned');
    expect(signRefusal('performed', 'tom', { ...run, verdict: null }, [])).toBe('notFinished');
  });

  it('binds every field of the record', () => {
    const step = { verdict: 'pass' as const, observed: 'seen', at: null };
    const other: Partial<Record<keyof RunRecord, unknown>> = {
      case: { ...record.case, title: 'other' },
      steps: [step],
      evidence: [{ step: 1, name: 'a', mime: 'b', bytes: 1, sha256: 'c' }],
      corrections: [{ at: '', reason: 'why', verdict: null, steps: [step] }],
    };
    for (const field of Object.keys(record) as (keyof RunRecord)[])
      expect(runHash(2, { ...record, [field]: other[field] ?? 'other' }))
        .withContext(field)
        .not.toBe(runHash(2, record));
    // Formats never meet in one hash, and the first cannot hold corrections.
    expect(runHash(1, record)).not.toBe(runHash(2, record));
  });
});
