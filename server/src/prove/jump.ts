import type { JumpItem } from '@contract/base';
import type { Role } from '@core/base';
import { and, asc, desc, eq, inArray, isNotNull, isNull, like, or, type SQL } from 'drizzle-orm';
import type { MySqlColumn } from 'drizzle-orm/mysql-core';
import { signatures, type Db } from '../base';
import { cases } from '../design';
import { sources } from '../measure';
import { problems, rounds, runs, runSummaries } from '../run';
import { requirements } from '../specify';

const perKind = 8;
const verdictNotes: Record<string, string> = { passed: 'passed', failed: 'failed', blocked: 'blocked', deviation: 'passed with deviation' };

/** Records whose key begins with the text or whose title holds all its words; keys first. */
export async function jumpTo(db: Db, projectId: number, q: string, build: string | undefined): Promise<JumpItem[]> {
  const words = q.trim().split(/\s+/).filter(Boolean).slice(0, 6);
  if (!words.length) return [];
  const escape = (word: string): string => word.replace(/[\\%_]/g, '\\$&');
  const match = (key: MySqlColumn, title: MySqlColumn) =>
    or(like(key, `${escape(q.trim().toUpperCase())}%`), and(...words.map((word) => like(title, `%${escape(word)}%`))));
  const found = await Promise.all([
    db
      .select({ key: requirements.key, title: requirements.title, note: requirements.level })
      .from(requirements)
      .where(and(eq(requirements.projectId, projectId), match(requirements.key, requirements.title)))
      .orderBy(asc(requirements.key))
      .limit(perKind),
    db
      .select({ key: cases.key, title: cases.title, note: cases.state })
      .from(cases)
      .where(and(eq(cases.projectId, projectId), match(cases.key, cases.title)))
      .orderBy(asc(cases.key))
      .limit(perKind),
    db
      .select({ key: runs.key, title: runs.caseKey, note: runs.verdict })
      .from(runs)
      .where(and(eq(runs.projectId, projectId), match(runs.key, runs.caseKey), ...(build ? [eq(runs.build, build)] : [])))
      .orderBy(desc(runs.id))
      .limit(perKind),
    db
      .select({ key: rounds.key, title: rounds.title, note: rounds.build })
      .from(rounds)
      .where(and(eq(rounds.projectId, projectId), match(rounds.key, rounds.title)))
      .orderBy(desc(rounds.id))
      .limit(perKind),
    db
      .select({ key: problems.key, title: problems.title, note: problems.state })
      .from(problems)
      .where(and(eq(problems.projectId, projectId), match(problems.key, problems.title)))
      .orderBy(desc(problems.id))
      .limit(perKind),
    build
      ? db
          .select({ key: sources.path, title: sources.path, note: sources.build })
          .from(sources)
          .where(
            and(
              eq(sources.projectId, projectId),
              eq(sources.build, build),
              isNull(sources.supersededAt),
              match(sources.path, sources.path),
            ),
          )
          .limit(perKind)
      : [],
  ]);
  const kinds = ['requirement', 'case', 'run', 'round', 'problem', 'file'] as const;
  return kinds.flatMap((kind, i) =>
    found[i].map(({ key, title, note }) => ({
      kind,
      key,
      title,
      note: kind === 'run' ? (verdictNotes[note ?? ''] ?? 'open') : (note ?? ''),
    })),
  );
}

/** What waits for a person: runs to record and sign, runs to review, texts to approve. */
export async function waitingFor(db: Db, projectId: number, login: string, roles: readonly Role[]) {
  const items: (JumpItem & { place: 'bench' | 'review' | 'run' | 'requirement' | 'case' })[] = [];
  if (roles.includes('tester')) {
    const mine = await runSummaries(db, projectId, and(eq(runs.tester, login), isNull(runs.supersededBy)) as SQL);
    for (const run of mine) {
      if (run.state === 'planned' || run.state === 'onBench')
        items.push({
          kind: 'run',
          key: run.key,
          title: `${run.caseKey} ${run.caseTitle}`,
          note: `to record on ${run.build}`,
          place: 'bench',
        });
      else if (run.state === 'recorded')
        items.push({ kind: 'run', key: run.key, title: `${run.caseKey} ${run.caseTitle}`, note: 'to sign', place: 'review' });
      else if (run.outdated)
        items.push({ kind: 'run', key: run.key, title: `${run.caseKey} ${run.caseTitle}`, note: 'carry over or rerun', place: 'review' });
    }
  }
  if (roles.includes('reviewer')) {
    const signed = await db
      .select({ runId: signatures.runId, meaning: signatures.meaning })
      .from(signatures)
      .where(eq(signatures.projectId, projectId));
    const reviewed = new Set(signed.filter((s) => s.meaning === 'reviewed').map((s) => s.runId));
    const open = [...new Set(signed.filter((s) => s.meaning === 'performed' && !reviewed.has(s.runId)).map((s) => s.runId))];
    if (open.length) {
      const rows = await runSummaries(
        db,
        projectId,
        and(inArray(runs.id, open), isNull(runs.supersededBy), isNotNull(runs.verdict)) as SQL,
      );
      for (const run of rows)
        if (run.tester !== login)
          items.push({
            kind: 'run',
            key: run.key,
            title: `${run.caseKey} ${run.caseTitle}`,
            note: `to review, by ${run.testerName}`,
            place: 'review',
          });
    }
    const texts = await db
      .select({ key: requirements.key, title: requirements.title })
      .from(requirements)
      .where(and(eq(requirements.projectId, projectId), eq(requirements.state, 'review')));
    for (const { key, title } of texts) items.push({ kind: 'requirement', key, title, note: 'to approve', place: 'requirement' });
    const designed = await db
      .select({ key: cases.key, title: cases.title })
      .from(cases)
      .where(and(eq(cases.projectId, projectId), eq(cases.state, 'review')));
    for (const { key, title } of designed) items.push({ kind: 'case', key, title, note: 'to approve', place: 'case' });
  }
  return items.slice(0, 200);
}
