import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { eq } from 'drizzle-orm';
import type { Role } from '../../core/src/base';
import {
  addBuild,
  addPerson,
  addProject,
  openDatabase,
  people,
  setFollowing,
  setMember,
  type Actor,
  type DatabaseAddress,
  type Db,
} from '../../server/src/base';
import { addCase, approveCase, caseHash, needCase, saveCase, setCaseState } from '../../server/src/design';
import { attest, loadCoverage, loadSources } from '../../server/src/measure';
import {
  addRedline,
  addEvidence,
  addProblem,
  addRound,
  decideRun,
  finishRun,
  handIn,
  recordStep,
  runDetail,
  runs,
  selectRuns,
  saveProblem,
  signRun,
  startRun,
} from '../../server/src/run';
import {
  addSpecification,
  approveRequirement,
  importRequirements,
  requirementDetail,
  saveRequirement,
  setRequirementState,
} from '../../server/src/specify';
import { suggestMapping } from '../../core/src/specify';
import { emptyCase } from '../../core/src/design';
import { seedDesign, seedFolders } from './design';
import { release, seedMeanings } from './meanings';
import { seedConfigurations, seedPrograms, seedTracker } from './outside';
import { seedBaseline, seedReviews } from './specify';
import { coldCases, draftCases, fates, readCases, scopePictureOf, unapproved, type DemoCase, type Fate } from './scenario';

export const demoPassword = 'larkfell-demo';
const cast: readonly { login: string; printedName: string; roles: Role[] }[] = [
  { login: 'admin', printedName: 'Ada Minster', roles: ['administrator'] },
  { login: 'mira.oberon', printedName: 'Mira Oberon', roles: ['author', 'reviewer'] },
  { login: 'tomas.vell', printedName: 'Tomas Vell', roles: ['tester'] },
  { login: 'ines.quarry', printedName: 'Ines Quarry', roles: ['reviewer'] },
  { login: 'bela.stroud', printedName: 'Bela Stroud', roles: ['tester', 'author'] },
  { login: 'noor.hallam', printedName: 'Noor Hallam', roles: ['auditor'] },
];

/**
 * Loads the demo through the same services that the screens use, under a clock that walks through some weeks: the ledger
 * is a real one, the signatures are given with passwords, and the numbers on the screens come from the coverage that is loaded.
 */
export async function seedDemo(address: DatabaseAddress, folder: string, say: (text: string) => void): Promise<void> {
  const database = openDatabase(address);
  const { db } = database;
  // Four weeks back from the moment of loading, so that the story ends today.
  let clock = Date.now() - 28 * 24 * 3600_000;
  const now = (): Date => new Date((clock += 47_000));
  try {
    for (const { login, printedName } of cast)
      await addPerson(
        db,
        { login: 'admin', projectId: 0, now },
        { login, printedName, password: demoPassword, installation: login === 'admin' },
      );
    const [admin] = await db.select({ id: people.id }).from(people).where(eq(people.login, 'admin'));
    const { id: projectId } = await addProject(db, { login: 'admin', projectId: 0, now }, admin.id, {
      slug: 'larkfell',
      name: 'Larkfell gondola · brake controller',
      standard: 'IEC 61508',
      level: 'SIL 3',
    });
    const as = (login: string): Actor => ({ login, projectId, now });
    for (const { login, roles } of cast) await setMember(db, as('admin'), login, roles);
    await seedMeanings(db, as('admin'), demoPassword);
    say('  requirements');
    await seedRequirements(db, folder, as);
    say('  cases');
    const demoCases = readCases(readFileSync(join(folder, 'gondola', 'cases.txt'), 'utf8'));
    await seedCases(db, demoCases, as);
    for (const [name, description] of [
      ['2.3.0', 'Released in spring'],
      ['2.4.0-rc2', 'Candidate for the winter season'],
    ])
      await addBuild(db, as('mira.oberon'), { name, description });
    say('  code and coverage');
    await seedCode(db, folder, '2.3.0', () => true, as);
    await seedCode(db, folder, '2.4.0-rc2', (key) => !['planned', 'leftOut'].includes(fates[key] ?? ''), as);
    // No tool tells of branches where there are none: a reviewer says so for the released build; for the candidate it is still to be done.
    await attest(db, as('ines.quarry'), '2.3.0', {
      path: 'src/main.c',
      unit: 'controller_init',
      metric: 'branch',
      argument: 'A straight run of assignments: there is no branch to take. Read line by line on 2.3.0.',
      password: demoPassword,
    });
    say('  runs of 2.3.0');
    const runnable = demoCases.filter((c) => !draftCases.has(c.key));
    await seedRound(db, '2.3.0', 'Release of spring', 'rig 1 · room temperature', 'tomas.vell', runnable, () => 'reviewed', as);
    say('  runs of 2.4.0-rc2');
    clock = Date.now() - 5 * 24 * 3600_000;
    const fate = (key: string): Fate => fates[key] ?? 'reviewed';
    const planned = runnable.filter((c) => fate(c.key) !== 'leftOut');
    await seedRound(
      db,
      '2.4.0-rc2',
      'First pass',
      'rig 2 · room temperature',
      'tomas.vell',
      planned.filter((c) => !coldCases.has(c.key)),
      fate,
      as,
    );
    await seedRound(
      db,
      '2.4.0-rc2',
      'Cold chamber',
      'rig 2 · cold chamber',
      'bela.stroud',
      planned.filter((c) => coldCases.has(c.key)),
      fate,
      as,
    );
    say('  models and the library');
    await seedFolders(db, as('mira.oberon'), demoCases);
    const { made, measured } = await seedDesign(db, as('mira.oberon'));
    for (const key of [...made, measured]) {
      await setCaseState(db, as('mira.oberon'), key, 1, 'review');
      await approveDesign(db, as('ines.quarry'), key, 1);
    }
    const asDemo = (keys: readonly string[]): DemoCase[] => keys.map((key) => ({ key, verifies: [], content: emptyCase }));
    await seedRound(db, '2.4.0-rc2', 'Start sequence', 'rig 2 · room temperature', 'tomas.vell', asDemo(made), () => 'reviewed', as);
    await seedRound(db, '2.4.0-rc2', 'By hand', 'station · room temperature', 'tomas.vell', asDemo([measured]), () => 'planned', as);
    say('  what changed afterwards');
    await seedBaseline(db, as('mira.oberon'), demoPassword);
    await seedChanges(db, folder, demoCases, as);
    await seedReviews(db, as, demoPassword);
    for (const key of ['BRK-002', 'BRK-003']) await release(db, as('ines.quarry'), key, demoPassword);
    await seedConfigurations(db, as('mira.oberon'));
    await seedPrograms(db, as('admin'));
    await seedTracker(db, as('admin'), as('tomas.vell'), 'PR-001');
  } finally {
    await database.close();
  }
}

type As = (login: string) => Actor;
const reviewer: readonly Role[] = ['reviewer'];

/** Approves a revision as a reviewer does: with the password, on the hash that is shown. */
async function approve(db: Db, actor: Actor, key: string, basedOn: number): Promise<void> {
  const { hash } = await requirementDetail(db, actor.projectId, key);
  await approveRequirement(db, actor, reviewer, key, { basedOn, hash, password: demoPassword, reason: '' });
}

async function approveDesign(db: Db, actor: Actor, key: string, basedOn: number): Promise<void> {
  const hash = caseHash(await needCase(db, actor.projectId, key));
  await approveCase(db, actor, reviewer, key, { basedOn, hash, password: demoPassword, reason: '' });
}

async function seedRequirements(db: Db, folder: string, as: As): Promise<void> {
  const author = as('mira.oberon');
  for (const [key, title, prefix, file] of [
    ['SYS', 'Gondola system', 'SYS', 'requirements-system.csv'],
    ['BRK', 'Brake controller software', 'BRK', 'requirements-software.csv'],
  ]) {
    await addSpecification(db, author, { key, title, prefix });
    const csv = readFileSync(join(folder, file), 'utf8');
    await importRequirements(db, author, {
      specification: key,
      fileName: file,
      csv,
      mapping: suggestMapping(csv.split('\n')[0].split(',')),
    });
    for (const line of csv.split('\n').filter((row) => /^[A-Z]+-\d+,/.test(row))) {
      const requirement = line.split(',')[0];
      const state = unapproved[requirement];
      if (state === 'draft') continue;
      await setRequirementState(db, author, requirement, 1, 'review');
      if (!state) await approve(db, as('ines.quarry'), requirement, 1);
    }
  }
}

async function seedCases(db: Db, demoCases: readonly DemoCase[], as: As): Promise<void> {
  for (const { key, verifies, content } of demoCases) {
    const author = as(coldCases.has(key) ? 'bela.stroud' : 'mira.oberon');
    await addCase(db, author, { key, content, verifies });
    if (draftCases.has(key)) continue;
    await setCaseState(db, author, key, 1, 'review');
    await approveDesign(db, as('ines.quarry'), key, 1);
  }
}

async function seedCode(db: Db, folder: string, build: string, keep: (key: string) => boolean, as: As): Promise<void> {
  const coverage = join(folder, 'coverage');
  await loadSources(db, as('mira.oberon'), build, {
    name: 'sources.zip',
    mime: 'application/zip',
    bytes: readFileSync(join(coverage, 'sources.zip')),
  });
  const files = readdirSync(join(coverage, 'lcov'))
    .filter((name) => keep(name.replace('.info', '')))
    .sort();
  await loadCoverage(
    db,
    as('tomas.vell'),
    build,
    files.map((name) => ({ name, mime: 'text/plain', bytes: readFileSync(join(coverage, 'lcov', name)) })),
  );
}

const observedFail: Record<string, string> = {
  'C-018': 'Brake applied after 1.9 s, channel B not selected, alarm 3 stays off',
  'C-013': 'Both channels still used after 260 ms, no alarm',
};

async function seedRound(
  db: Db,
  build: string,
  title: string,
  configuration: string,
  tester: string,
  chosen: readonly DemoCase[],
  fate: (key: string) => Fate,
  as: As,
): Promise<void> {
  const actor = as(tester);
  const round = await addRound(db, actor, {
    build,
    title,
    configuration,
    unit: build === '2.3.0' ? 'LB-2 s/n 0098' : 'LB-2 s/n 0117',
    tools: 'Rig software 4.1, scope SC-12 (calibrated)',
    tester,
    cases: chosen.map((c) => c.key),
  });
  for (const item of round.items) await seedRun(db, item.key, fate(item.caseKey), actor, as);
}

async function seedRun(db: Db, key: string, fate: Fate, actor: Actor, as: As): Promise<void> {
  if (fate === 'planned' || fate === 'leftOut') return;
  await startRun(db, actor, key);
  const run = await runDetail(db, actor.projectId, key);
  const { steps } = run.case;
  const badStep = run.caseKey === 'C-018' ? 4 : steps.length;
  // Recorded at the tower, where there is no network, and sent when the tablet was back: one of its steps had been recorded at a desk meanwhile.
  const away = fate === 'recorded' && run.caseKey === 'C-036';
  const there = (minutesAgo: number): Actor => {
    const [at, sent] = [minutesAgo, 0].map((ago) => new Date(actor.now().getTime() - ago * 60_000).toISOString());
    return away ? { ...actor, device: { at, sent } } : actor;
  };
  const pace = Math.max(20, Math.round((run.case.plannedMinutes * 52) / steps.length));
  for (let step = 1; step <= steps.length; step++) {
    if (fate === 'onBench' && step > 1) return;
    const last = step === badStep;
    const verdict =
      last && fate === 'failed'
        ? 'fail'
        : last && fate === 'blocked'
          ? 'blocked'
          : last && fate.startsWith('deviation')
            ? 'deviation'
            : 'pass';
    const observed =
      verdict === 'fail'
        ? (observedFail[run.caseKey] ?? 'Not as expected')
        : verdict === 'blocked'
          ? 'Pressure pump of the rig is out for repair'
          : verdict === 'deviation'
            ? `${steps[step - 1].expected}, a little late (0.3 s)`
            : steps[step - 1].expected;
    // What the step said could not be done: it was changed for this run, and is offered to its author.
    if (run.caseKey === 'C-015' && run.build === '2.4.0-rc2' && step === steps.length) {
      const after = { action: `${steps[step - 1].action} of the second cabin`, expected: steps[step - 1].expected };
      await addRedline(db, actor, key, { step, what: 'changed', after, reason: 'The first cabin is out for repair.' });
    }
    await recordStep(db, there(180 - 6 * step), key, step, { observed, verdict, seconds: pace * step });
    if (last && ['C-004', 'C-018', 'C-006'].includes(run.caseKey))
      await addEvidence(db, actor, key, step, [scopePictureOf(run.caseKey)], { reason: '' });
    if (verdict === 'fail' || verdict === 'blocked') break;
  }
  const { hash, caseKey } = await finishRun(db, there(150), key, pace * steps.length);
  if (away) {
    const at = new Date(actor.now().getTime() - 170 * 60_000).toISOString();
    const step = { what: 'step' as const, step: 1, at, verdict: 'pass' as const, observed: 'Seen on the second tablet, a minute earlier' };
    await handIn(db, there(170), key, { why: 'Step 1 was recorded meanwhile: pass.', recorded: [step] });
  }
  if (fate === 'failed') await seedProblem(db, actor, key, caseKey, badStep, run.build);
  if (fate === 'recorded') return;
  const sign = { password: demoPassword, hash, reason: '' };
  await signRun(db, actor, ['tester'], key, { ...sign, meaning: 'performed', acceptDeviation: false });
  if (fate === 'performed' || fate === 'deviationOpen' || fate === 'failed' || fate === 'blocked') return;
  const accept = fate === 'deviationAccepted';
  await signRun(db, as('ines.quarry'), reviewer, key, {
    ...sign,
    meaning: 'reviewed',
    acceptDeviation: accept,
    reason: accept ? 'The delay is the display’s, not the ramp’s.' : '',
  });
}

async function seedProblem(db: Db, actor: Actor, run: string, caseKey: string, step: number, build: string): Promise<void> {
  await addProblem(db, actor, {
    title:
      caseKey === 'C-018'
        ? 'Channel B is not taken over after a slow loss of channel A'
        : 'Disagreement of the channels is not noticed in time',
    description: `Seen at step ${step} of ${run}: ${observedFail[caseKey]}.`,
    blocking: true,
    run,
    step,
    build,
    requirements: [],
  });
}

async function seedChanges(db: Db, folder: string, demoCases: readonly DemoCase[], as: As): Promise<void> {
  const author = as('mira.oberon');
  const { projectId } = author;
  const change = async (key: string, text: string): Promise<void> => {
    const found = demoCases.find((c) => c.key === key);
    if (!found) return;
    const steps = found.content.steps.map((step, i) => (i === 0 ? { ...step, action: `${step.action}${text}` } : step));
    await saveCase(db, author, key, 1, { ...found.content, steps }, 'The step left open what to do.');
    await setCaseState(db, author, key, 2, 'review');
    await approveDesign(db, as('ines.quarry'), key, 2);
  };
  const runOf = async (caseKey: string): Promise<string> => {
    const rows = await selectRuns(db, eq(runs.projectId, projectId));
    return rows.find((row) => row.build === '2.4.0-rc2' && row.caseKey === caseKey)?.record.key ?? '';
  };
  // Revised after the run: one is decided, one waits for a decision.
  await change('C-030', ' and wait for the lamp');
  await decideRun(db, as('ines.quarry'), reviewer, await runOf('C-030'), {
    choice: 'carryOver',
    reason: 'Only the wait for the lamp was written down; it was done so before.',
    password: demoPassword,
  });
  await change('C-008', ', with the valve closed slowly');
  // Recorded twice: the first run was superseded.
  const first = await runOf('C-004');
  const again = await decideRun(db, as('ines.quarry'), reviewer, first, {
    choice: 'rerun',
    reason: 'The scope was set to the wrong channel.',
    password: '',
  });
  if (again.plannedAgain) {
    await seedRun(db, again.plannedAgain, 'reviewed', as('tomas.vell'), as);
    // What was measured before stays with the run that is superseded: the new one was measured too.
    await loadCoverage(
      db,
      as('tomas.vell'),
      '2.4.0-rc2',
      [{ name: 'C-004.info', mime: 'text/plain', bytes: readFileSync(join(folder, 'coverage', 'lcov', 'C-004.info')) }],
      { run: again.plannedAgain },
    );
  }
  // Requirements revised after their traces were confirmed: downwards to a case, and from a parent.
  const revise = async (key: string, text: string): Promise<void> => {
    const now = await requirementDetail(db, projectId, key);
    const { kind, title, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale, revision } = now;
    const content = { kind, title, text, rationale, level, method, topLevel, derived, notInCode, notInCodeRationale };
    await saveRequirement(db, author, key, revision, content, 'The limit was measured anew on the test track.');
    await setRequirementState(db, author, key, revision + 1, 'review');
    await approve(db, as('ines.quarry'), key, revision + 1);
  };
  await revise(
    'BRK-010',
    'A channel that changes by more than 3 bar between two cycles shall be taken for failed in that cycle and in the next one.',
  );
  await revise(
    'SYS-009',
    'The rope shall not change its speed by more than 0.4 m/s2 in normal running, and by no more than 0.8 m/s2 in a stop.',
  );
  // Two people follow what they have a stake in.
  for (const [login, key] of [
    ['ines.quarry', 'BRK-010'],
    ['ines.quarry', 'SYS-009'],
    ['tomas.vell', 'BRK-029'],
    ['tomas.vell', 'C-008'],
  ] as const) {
    const [{ id }] = await db.select({ id: people.id }).from(people).where(eq(people.login, login));
    await setFollowing(db, projectId, id, key, true);
  }
  const report = await addProblem(db, as('tomas.vell'), {
    title: 'The horn is hard to hear in the north stand',
    description: 'Noticed while recording, not part of a step.',
    blocking: false,
    run: null,
    step: null,
    build: '2.4.0-rc2',
    requirements: ['BRK-029'],
  });
  await saveProblem(db, as('ines.quarry'), ['reviewer'], report.key, {
    basedOn: 1,
    title: report.title,
    description: report.description,
    blocking: false,
    stage: 'closed',
    severity: 'minor',
    priority: '',
    area: '',
    assigned: null,
    due: null,
    fixedIn: null,
    closedReason: 'The horn was moved.',
    password: demoPassword,
  });
}
