import type { Code, Diagnosis, FileDetail } from '@contract/measure';
import { addCoverage, coverageOf, diagnoseLine, lineCredits, noCoverage } from '@core/measure';
import { and, eq, isNull } from 'drizzle-orm';
import { Refusal, write, type Actor, type Db } from '../base';
import { needRequirement } from '../specify';
import { buildFacts } from './facts';
import { codeTraces, sources } from './tables';

export async function getCode(db: Db, projectId: number, build: string): Promise<Code> {
  const facts = await buildFacts(db, projectId, build);
  const files = facts.files.map((file, i) => ({
    path: file.path,
    coverage: coverageOf([facts.credits[i]]),
    measured: file.byCase.length > 0,
    hasText: true,
  }));
  return {
    build,
    files: files.filter((file) => file.measured || !file.path.endsWith('.h')),
    total: coverageOf(facts.credits),
    cases: facts.measuredCases.length,
    measuredCases: [...facts.measuredCases],
  };
}

export async function getFile(db: Db, projectId: number, build: string, path: string): Promise<FileDetail> {
  const facts = await buildFacts(db, projectId, build);
  const at = facts.files.findIndex((file) => file.path === path);
  if (at < 0) throw new Refusal('notFound', { detail: `The build ${build} has no source file ${path}.` });
  const [source] = await db
    .select({ text: sources.text, sha256: sources.sha256 })
    .from(sources)
    .where(and(eq(sources.projectId, projectId), eq(sources.build, build), eq(sources.path, path), isNull(sources.supersededAt)));
  const units = facts.units
    .filter((u) => u.path === path)
    .map(({ unit, totals }) => ({
      name: unit.name,
      start: unit.start,
      end: unit.end,
      requirements: [...unit.requirements],
      byHand: facts.byHand.filter((t) => t.path === path && t.unit === unit.name).map((t) => t.requirement),
      coverage: totals,
    }));
  const credit = facts.credits[at];
  return {
    path,
    text: source?.text ?? null,
    sha256: source?.sha256 ?? null,
    units,
    lines: lineCredits(credit).map((line) => ({ ...line, hitBy: [...line.hitBy] })),
    coverage: coverageOf([credit]),
  };
}

export async function diagnose(db: Db, projectId: number, build: string, path: string, line: number): Promise<Diagnosis> {
  const facts = await buildFacts(db, projectId, build);
  const at = facts.files.findIndex((candidate) => candidate.path === path);
  const found = at < 0 ? undefined : diagnoseLine(facts.credits[at], line, facts.context);
  if (!found) throw new Refusal('notFound', { detail: `Line ${line} of ${path} holds nothing that is measured.` });
  return {
    ...found,
    requirements: [...found.requirements],
    ownCases: [...found.ownCases],
    hitBy: found.hitBy.map((caseKey) => ({
      caseKey,
      title: facts.caseTitles.get(caseKey) ?? '',
      verifies: [...(facts.context.verifies.get(caseKey) ?? [])],
    })),
    outcomes: found.outcomes.map(({ metric, detail, state, hitBy }) => ({
      metric: metric as Diagnosis['outcomes'][number]['metric'],
      detail,
      state,
      hitBy: [...hitBy],
    })),
    remedies: [...found.remedies],
  };
}

/** Says by hand that a function implements a requirement, or takes that back. Traces in the source stay: they are changed there. */
export async function traceCode(
  db: Db,
  actor: Actor,
  build: string,
  told: { path: string; unit: string; requirement: string; traced: boolean },
): Promise<FileDetail> {
  const { path, unit, requirement, traced } = told;
  const facts = await buildFacts(db, actor.projectId, build);
  const known = facts.files.find((file) => file.path === path)?.units.find((u) => u.name === unit);
  if (!known) throw new Refusal('notFound', { detail: `${path} has no function ${unit}.` });
  await write(db, actor, async (w) => {
    await needRequirement(w.tx, actor.projectId, requirement);
    const same = and(
      eq(codeTraces.projectId, actor.projectId),
      eq(codeTraces.path, path),
      eq(codeTraces.unit, unit),
      eq(codeTraces.requirement, requirement),
      isNull(codeTraces.removedAt),
    );
    const [present] = await w.tx.select({ id: codeTraces.id }).from(codeTraces).where(same);
    if (traced && known.requirements.includes(requirement))
      throw new Refusal('exists', { detail: `${unit} is traced to ${requirement} already.` });
    if (!traced && !present)
      throw new Refusal('stateForbids', {
        detail: `The trace of ${unit} to ${requirement} stands in the source (@req): take it back there.`,
      });
    if (traced) await w.tx.insert(codeTraces).values({ projectId: actor.projectId, path, unit, requirement, by: actor.login, at: w.at });
    else await w.tx.update(codeTraces).set({ removedAt: w.at }).where(same);
    await w.log(
      traced ? 'code traced' : 'code trace taken back',
      'file',
      `${path} ${unit}`,
      traced ? null : { requirement },
      traced ? { requirement } : null,
    );
  });
  return getFile(db, actor.projectId, build, path);
}

export async function requirementCode(db: Db, projectId: number, build: string, key: string) {
  const facts = await buildFacts(db, projectId, build);
  const mine = facts.units.filter((u) => u.unit.requirements.includes(key));
  const units = mine.map(({ path, unit, totals }) => ({ path, name: unit.name, start: unit.start, coverage: totals }));
  return { units, total: mine.length ? mine.reduce((sum, u) => addCoverage(sum, u.totals), noCoverage) : null };
}
