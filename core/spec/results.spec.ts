import { readFileSync } from 'node:fs';
import { JunitReader, type TestResult } from '../src/measure/formats';

/** What a file says of its tests: whole, and cut into pieces of three bytes. */
function read(text: string, piece = Infinity): { readonly results: TestResult[]; readonly faults: string[] } {
  const results: TestResult[] = [];
  const reader = new JunitReader((result) => results.push(result));
  const bytes = Buffer.from(text);
  for (let at = 0; at < bytes.length; at += piece) reader.push(bytes.subarray(at, Math.min(bytes.length, at + piece)));
  reader.finish();
  return { results, faults: reader.findings.map((f) => f.text) };
}
const file = (name: string): string => readFileSync(`core/fixtures/results/${name}.xml`, 'utf8');
const told = (name: string): string[] =>
  read(file(name)).results.map(({ group, name: test, verdict }) => `${verdict} ${group ? `${group}: ` : ''}${test}`);

// What the runners themselves said on the screen when the files were made, counted by hand.
describe('results as runners write them', () => {
  it('node’s own: two fail, one is left out; the suite tells what a test belongs to', () => {
    expect(told('node')).toEqual([
      'passed C-004 The stop chain: opens the relay',
      'failed C-004 The stop chain: within 120 ms',
      'passed C-005 At standstill: keeps the brake closed',
      'skipped C-005 At standstill: in the cold chamber',
      'passed C-006 A stuck brake is seen',
      jasmine.stringMatching(/^failed C-007 reads 1 < 2 & /) as unknown as string,
    ]);
  });

  it('pytest: 2 failed, 3 passed, 1 skipped, 1 xfailed, 1 error', () => {
    expect(told('pytest')).toEqual([
      'passed test_cases.TestC_004: test_opens_the_relay',
      'failed test_cases.TestC_004: test_within_120_ms',
      'passed test_cases: test_C_012_wind[0]',
      'passed test_cases: test_C_012_wind[15]',
      'failed test_cases: test_C_012_wind[70]',
      'skipped test_cases: test_C_005_cold',
      'failed test_cases: test_C_006_stuck',
      'skipped test_cases: test_C_018_known',
    ]);
  });

  it('ctest: 2 of 5 failed, one is disabled and one skipped: neither of them passed', () => {
    expect(read(file('ctest')).results.map(({ name, verdict }) => [name, verdict])).toEqual([
      ['C-004.relay_opens', 'passed'],
      ['C-004.within_120_ms', 'failed'],
      ['C-005.standstill', 'passed'],
      ['C-006.stuck', 'skipped'],
      ['C-007.sleeps', 'failed'],
      ['C-009.skips', 'skipped'],
    ]);
  });

  it('jasmine: 2 of 5 failed, 2 pending', () => {
    expect(told('jasmine')).toEqual([
      'passed C-004 The stop chain: opens the relay',
      'failed C-004 The stop chain: within 120 ms',
      'skipped C-004 The stop chain.in the cold: opens it too',
      'failed C-005 At standstill & "closed": keeps the brake <closed>',
      'skipped C-005 At standstill & "closed": is still to be written',
    ]);
  });

  it('count as the files themselves say, whole and cut anywhere', () => {
    for (const name of ['node', 'pytest', 'ctest', 'jasmine']) {
      const whole = read(file(name));
      expect(whole.faults).withContext(name).toEqual([]);
      expect(read(file(name), 3).results)
        .withContext(name)
        .toEqual(whole.results);
      const said = (attribute: string): number =>
        [...file(name).matchAll(/<testsuite\b[^>]*>/g)].reduce(
          (sum, [suite]) => sum + Number(new RegExp(`\\b${attribute}="(\\d+)"`).exec(suite)?.[1] ?? 0),
          0,
        );
      const count = (verdict: string): number => whole.results.filter((r) => r.verdict === verdict).length;
      if (name === 'node') continue; // It counts what stands in suites, and two stand outside.
      expect(whole.results.length).withContext(name).toBe(said('tests'));
      expect(count('failed'))
        .withContext(name)
        .toBe(said('failures') + said('errors'));
      expect(count('skipped'))
        .withContext(name)
        .toBe(said('skipped') + said('disabled'));
    }
  });

  it('keep what failed a failure, whatever else is said of it, and pass nothing that was not run', () => {
    const verdicts = (inner: string): string[] => read(`<testsuite name="s">${inner}</testsuite>`).results.map((r) => r.verdict);
    expect(
      verdicts(`
        <testcase name="a"><failure message="no"/><skipped/></testcase>
        <testcase name="b"><skipped/><error message="no"/></testcase>
        <testcase name="c" status="disabled"/>
        <testcase name="d" status="notrun"/>
        <testcase name="e" status="failed"/>
        <testcase name="f" result="skipped" status="notrun"/>
        <testcase name="g" status="run"/>
        <testcase name="h" status="passed"/>
        <testcase name="i" result="suppressed" status="notrun"/>
        <testcase name="j" status="Error"><system-out>it ended</system-out></testcase>`),
    ).toEqual(['failed', 'failed', 'skipped', 'skipped', 'failed', 'skipped', 'passed', 'passed', 'skipped', 'failed']);
  });
});
