import * as base from '@contract/base';
import * as design from '@contract/design';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { caseContent, content, openProject, password, type Project } from './support';

type Verdict = 'pass' | 'fail' | 'blocked' | 'deviation';

/** A project with a second person of many roles, and the honest ways to get what lies are about. */
export async function openLies() {
  const p: Project = await openProject();
  let count = 0;
  await p.call('admin', base.addPerson, { login: 'second', printedName: 'Second Tester' });
  await p.owner.query(
    `update ${p.name}.people a, (select password_hash from ${p.name}.people where login = 'admin') b set a.password_hash = b.password_hash, a.code_until = null where a.login = 'second'`,
  );
  await p.call('admin', base.setMember, { login: 'second', roles: ['tester', 'author', 'reviewer'] });
  /** A number that nothing had yet. */
  const next = (): number => ++count;

  const plain = (more = {}) => content(`Nr. ${++count}`, { notInCode: true, notInCodeRationale: 'A label on the housing.', ...more });
  const requirement = async (more = {}): Promise<string> => {
    const { body } = await p.call('author', specify.addRequirement, { specification: 'BRK', content: plain(more) });
    await p.approve(body.key);
    return body.key;
  };
  const aCase = async (verifies: string[], rows?: { name: string; values: Record<string, string> }[]): Promise<string> => {
    const { body } = await p.call('author', design.addCase, {
      content: { ...caseContent('Shows it'), ...(rows ? { rows } : {}) },
      verifies,
    });
    await p.approve(body.key);
    return body.key;
  };
  const plan = async (c: string, more: { build?: string; configuration?: string; tester?: string; reason?: string } = {}) =>
    p.call('author', run.addRound, { build: '1.0', title: 'R', configuration: 'rig', tester: 'tester', cases: [c], ...more });
  const planned = async (c: string, more = {}): Promise<string> => (await plan(c, more)).body.items[0].key;
  const record = async (key: string, verdict: Verdict = 'pass', who = 'tester'): Promise<void> => {
    for (const step of [1, 2])
      await p.call(who, run.recordStep, { key, step, observed: 'seen', verdict: step === 2 ? verdict : 'pass', seconds: 1 });
    await p.call(who, run.finishRun, { key, seconds: 2 });
  };
  const hashOf = async (key: string): Promise<string> => (await p.call('auditor', run.getRun, { key })).body.hash;
  const sign = async (key: string, who: string, meaning: 'performed' | 'reviewed', more = {}) =>
    p.call(who, run.signRun, { key, meaning, password, hash: await hashOf(key), ...more });
  const signBoth = async (key: string, who = 'tester'): Promise<void> => {
    await sign(key, who, 'performed');
    await sign(key, 'reviewer', 'reviewed');
  };
  const decide = (
    key: string,
    who: string,
    choice: 'carryOver' | 'rerun' | 'return' | 'acceptDeviation' | 'setAside' | 'withdraw',
    more = {},
  ) => p.call(who, run.decideRun, { key, choice, reason: 'because of this', password, ...more });
  const cord = async (key: string, build = '1.0'): Promise<Record<string, string>> =>
    (await p.call('auditor', prove.getCord, { key, build })).body.states;
  const revise = async (c: string, who = 'author', more = {}): Promise<void> => {
    const { body } = await p.call('auditor', design.getCase, { key: c });
    await p.call(who, design.saveCase, {
      key: c,
      basedOn: body.revision,
      reason: 'It was not clear.',
      content: { ...caseContent(`Changed ${++count}`), ...more },
    });
  };
  /** A requirement that is truly proved. */
  const proved = async (more = {}): Promise<{ r: string; c: string; key: string }> => {
    const r = await requirement(more);
    const c = await aCase([r]);
    const key = await planned(c);
    await record(key);
    await signBoth(key);
    return { r, c, key };
  };
  const code = (answer: { problem: base.ProblemDetails }): string => answer.problem.code;
  return { p, next, plain, requirement, aCase, plan, planned, record, hashOf, sign, signBoth, decide, cord, revise, proved, code };
}

export type Lies = Awaited<ReturnType<typeof openLies>>;
