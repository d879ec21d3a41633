import type { JumpItem } from '@contract/base';
import { and, asc, desc, eq, inArray, isNull, like, sql } from 'drizzle-orm';
import { needBuild, records, wordsFound, type Db } from '../base';
import { sources } from '../measure';
import { runs } from '../run';

const perKind = 8;
const jumpKinds = [
  'requirement',
  'case',
  'run',
  'round',
  'problem',
  'specification',
  'review',
  'baseline',
  'folder',
  'group',
  'flow',
  'parameters',
  'decisionTable',
  'stateTable',
] as const;
const verdictNotes: Record<string, string> = { passed: 'passed', failed: 'failed', blocked: 'blocked', deviation: 'passed with deviation' };

/** Records whose key begins with the text or whose words are found; keys first. Of runs those of the build, where one is named. */
export async function jumpTo(db: Db, projectId: number, q: string, build: string | undefined): Promise<JumpItem[]> {
  const text = q.trim();
  if (!text) return [];
  const escaped = text.replace(/[\\%_]/g, '\\$&');
  const buildId = build ? (await needBuild(db, projectId, build)).id : undefined;
  const byKey = like(records.key, `${escaped.toUpperCase()}%`);
  const found = await Promise.all(
    jumpKinds.map(async (kind) => {
      const scope = and(
        eq(records.projectId, projectId),
        eq(records.kind, kind),
        ...(kind === 'run' && buildId !== undefined
          ? [sql`exists (select 1 from ${runs} where ${runs.id} = ${records.id} and ${runs.buildId} = ${buildId})`]
          : []),
      );
      const columns = { id: records.id, key: records.key, title: records.title, state: records.state };
      const keyed = await db
        .select(columns)
        .from(records)
        .where(and(scope, byKey))
        .orderBy(asc(records.keyPrefix), asc(records.keyNumber))
        .limit(perKind);
      const words = wordsFound(records.words, text);
      const worded =
        keyed.length < perKind && words
          ? await db.select(columns).from(records).where(and(scope, words)).orderBy(desc(records.updatedAt)).limit(perKind)
          : [];
      const items = [...new Map([...keyed, ...worded].map((item) => [item.id, item])).values()].slice(0, perKind);
      const verdicts =
        kind === 'run' && items.length
          ? new Map(
              (
                await db
                  .select({ id: runs.id, verdict: runs.verdict })
                  .from(runs)
                  .where(
                    inArray(
                      runs.id,
                      items.map((item) => item.id),
                    ),
                  )
              ).map((r) => [r.id, verdictNotes[r.verdict ?? ''] ?? 'open']),
            )
          : undefined;
      return items.map((item): JumpItem => ({ kind, key: item.key, title: item.title, note: verdicts?.get(item.id) ?? item.state }));
    }),
  );
  const files =
    buildId === undefined
      ? []
      : await db
          .select({ path: sources.path })
          .from(sources)
          .where(and(eq(sources.buildId, buildId), isNull(sources.supersededAt), like(sources.path, `%${escaped}%`)))
          .orderBy(asc(sources.path))
          .limit(perKind);
  return [...found.flat(), ...files.map(({ path }): JumpItem => ({ kind: 'file', key: path, title: path, note: build ?? '' }))];
}
