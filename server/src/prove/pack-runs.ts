import { groupBy } from '@core/base';
import { runHash, runText } from '@core/run';
import { and, asc, eq, gt, inArray, or } from 'drizzle-orm';
import { decisionsOf, keysOfRecords, readBlob, signaturesOf, type JobProgress } from '../base';
import { runsCarriedTo } from '../measure';
import { evidenceOf, moreOfRuns, runRecord, runs, selectRuns } from '../run';
import { pretty, type PackSource } from './pack-data';
import type { RunsPaper } from './paper';

type PaperRun = RunsPaper['runs'][number];

export interface PackProblem {
  readonly key: string;
  readonly state: string;
  readonly run: string | null;
  readonly requirements: readonly string[];
}

/** What the rest of the pack has to know of a run. */
export interface PackedRun {
  readonly key: string;
  readonly caseKey: string;
  readonly caseRevision: number;
  readonly verdict: string | null;
  readonly performed: string;
  readonly reviewed: string;
  /** Of another build: the statement that carried it to this one. */
  readonly carriedBy?: string;
}

/** A signature as the list of all names it; `file` holds the text that was signed. */
export interface SignatureLine {
  readonly file: string;
  readonly hash: string;
  readonly login: string;
  readonly at: string;
  readonly meaning: string;
  readonly record: string;
  readonly printedName: string;
}

/** So many run records are read, and set on paper, at a time. */
const atATime = 200;

/** Writes every run of the build with its evidence, signatures and decisions, some at a time; `paper` sets those that are recorded. */
export async function addRuns(
  source: PackSource,
  problems: readonly PackProblem[],
  progress: JobProgress,
  paper: (part: readonly PaperRun[], first: boolean) => Promise<void>,
): Promise<{ runs: PackedRun[]; signatures: SignatureLine[] }> {
  const { tx, build, out } = source;
  const carried = await runsCarriedTo(tx, build.id);
  const ofBuild = or(eq(runs.buildId, build.id), inArray(runs.id, [...carried.keys(), 0]));
  const all = await tx.select({ id: runs.id }).from(runs).where(ofBuild).orderBy(asc(runs.id));
  const packed: PackedRun[] = [];
  const lines: SignatureLine[] = [];
  const problemsOf = groupBy(problems, (p) => p.run ?? '');
  for (let after = 0, done = 0; done < all.length;) {
    await progress.report(0.25 + (0.4 * done) / all.length, `Collecting run ${done + 1} of ${all.length}`);
    const rows = await selectRuns(tx, and(ofBuild, gt(runs.id, after))).limit(atATime);
    if (!rows.length) break;
    const ids = rows.map(({ run }) => run.id);
    const evidence = await evidenceOf(tx, ids);
    const more = await moreOfRuns(
      tx,
      rows.map(({ run }) => run),
    );
    const signed = groupBy(await signaturesOf(tx, ids), (s) => s.recordId);
    const decided = groupBy(await decisionsOf(tx, ids), (d) => d.recordId);
    const keys = await keysOfSuperseding(source, rows);
    const papers: PaperRun[] = [];
    for (const stored of rows) {
      const { run } = stored;
      const mine = evidence.get(run.id) ?? [];
      const record = runRecord(stored, mine, more.get(run.id));
      const folder = `runs/${record.key}`;
      // Exactly the bytes whose hash the signatures are bound to.
      await out.add(`${folder}/record.json`, runText(run.format, record));
      const marks = (signed.get(run.id) ?? []).map(({ meaning, login, printedName, at, format, hash, reason }) => ({
        meaning,
        login,
        printedName,
        at,
        format,
        hash,
        reason,
      }));
      await out.add(`${folder}/signatures.json`, pretty(marks));
      for (const { hash, login, at, meaning, printedName } of marks)
        lines.push({ file: `${folder}/record.json`, hash, login, at, meaning, record: record.key, printedName });
      const choices = (decided.get(run.id) ?? []).map(({ choice, reason, login, at }) => ({ choice, reason, login, at }));
      const supersededBy = run.supersededById === null ? null : (keys.get(run.supersededById) ?? null);
      if (choices.length || supersededBy || run.withdrawnAt || run.returnedAt)
        await out.add(
          `${folder}/decisions.json`,
          pretty({
            supersededBy,
            carriedOverTo: run.carriedOverTo,
            withdrawnAt: run.withdrawnAt,
            returnedAt: run.returnedAt,
            decisions: choices,
          }),
        );
      const named = mine.map((file) => ({ file, name: `${folder}/evidence/${file.step}-${file.id}-${file.name}` }));
      for (const { file, name } of named) await out.addStream(name, readBlob(tx, file.sha256));
      if (named.length) await out.add(`${folder}/evidence.sha256`, named.map(({ file, name }) => `${file.sha256}  ${name}\n`).join(''));
      const carriedBy = carried.get(run.id)?.key;
      const name = (meaning: string): string => marks.find((s) => s.meaning === meaning)?.printedName ?? '';
      packed.push({
        key: record.key,
        caseKey: record.caseKey,
        caseRevision: record.caseRevision,
        verdict: record.verdict,
        performed: name('performed'),
        reviewed: name('reviewed'),
        ...(carriedBy ? { carriedBy } : {}),
      });
      if (run.verdict === null) continue;
      papers.push({
        record,
        hash: runHash(run.format, record),
        signatures: marks,
        problems: (problemsOf.get(record.key) ?? []).map((p) => `${p.key} (${p.state})`),
        notes: [
          ...choices.map((d) => `${d.choice} by ${d.login}, ${d.at.slice(0, 10)}: ${d.reason}`),
          ...(carriedBy ? [`recorded on ${record.build}, carried to this build by ${carriedBy}`] : []),
          ...(supersededBy ? [`superseded by ${supersededBy}`] : []),
          ...record.corrections.map((c) => `corrected ${c.at.slice(0, 10)}: ${c.reason}`),
        ],
      });
    }
    await paper(papers, done === 0);
    done += rows.length;
    after = rows[rows.length - 1].run.id;
  }
  return { runs: packed, signatures: lines };
}

async function keysOfSuperseding(
  { tx }: PackSource,
  rows: readonly { readonly run: { readonly supersededById: number | null } }[],
): Promise<Map<number, string>> {
  return keysOfRecords(tx, [...new Set(rows.flatMap(({ run }) => run.supersededById ?? []))]);
}
