import { createPrivateKey, createPublicKey, generateKeyPairSync, sign } from 'node:crypto';
import { compareKeys, groupBy, ledgerRoot, ledgerText, perKnot } from '@core/base';
import { coverageOf, percent, ratioOf, type FileCredit } from '@core/measure';
import {
  boardTotals,
  breaksCsv,
  judgeCords,
  matrixCsv,
  matrixHtml,
  reasonWords,
  stateCounts,
  verifyText,
  type Cord,
  type MatrixRow,
} from '@core/prove';
import { runHash, runText, verdictWords } from '@core/run';
import { eq } from 'drizzle-orm';
import { zip, type AsyncZippable } from 'fflate';
import {
  decisionsOf,
  ledgerEntries,
  ledgerHead,
  needBuild,
  projects,
  records,
  settings,
  signaturesOf,
  sha256Of,
  storeBlob,
  wholeBlob,
  type Db,
  type JobFile,
  type JobProgress,
  type StoredBuild,
  type StoredJob,
  type Tx,
} from '../base';
import { caseContent, cases } from '../design';
import { evidenceOf, problems, problemsById, runRecord, runs, selectRuns } from '../run';
import { requirements, requirementsById } from '../specify';
import { readFacts, type Facts } from './facts';
import { addCoverageFiles, addTraces, pretty, type Files } from './pack-data';
import type { PaperHead, RunsPaper, SummaryPaper } from './papers';

export type SetPaper = (paper: SummaryPaper | RunsPaper) => Promise<Uint8Array>;

/**
 * Makes the proof pack of a build: everything is read in one snapshot of the database, so that the pack is of one ledger
 * number. Begun again from the start if its worker dies: nothing is stored before the whole is made.
 */
export async function makeProofPack(db: Db, job: StoredJob, progress: JobProgress, setPaper: SetPaper): Promise<JobFile> {
  const files: Files = new Map();
  const { summary, runsPaper, verify } = await db.transaction((tx) => gather(tx, job, progress, files), {
    isolationLevel: 'repeatable read',
  });
  await progress.report(0.55, 'Setting the summary');
  files.set('summary.pdf', Buffer.from(await setPaper(summary)));
  await progress.report(0.65, `Setting ${runsPaper.runs.length} run records`);
  files.set('runs/runs.pdf', Buffer.from(await setPaper(runsPaper)));
  await progress.report(0.85, 'Hashing and signing');
  const key = await signingKey(db);
  const publicKey = Buffer.from(createPublicKey(key).export({ type: 'spki', format: 'pem' }));
  files.set('public-key.pem', publicKey);
  files.set('VERIFY.md', Buffer.from(verifyText({ ...verify, keyHash: sha256Of(publicKey) })));
  const sums = Buffer.from(
    [...files]
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, bytes]) => `${sha256Of(bytes)}  ${name}\n`)
      .join(''),
  );
  files.set('SHA256SUMS', sums);
  files.set('SHA256SUMS.sig', sign(null, sums, key));
  await progress.report(0.92, 'Packing');
  const archive = await pack(files, new Date(verify.at));
  await progress.report(0.97, 'Storing');
  const sha256 = await db.transaction((tx) => storeBlob(tx, archive));
  const safe = job.build.replace(/[^\w.-]/g, '_');
  return { name: `proof-pack-${safe}-${verify.seq}.zip`, bytes: archive.length, sha256 };
}

function pack(files: Files, mtime: Date): Promise<Buffer> {
  const tree: AsyncZippable = Object.fromEntries(
    [...files].map(([name, bytes]) => [name, [bytes, { mtime, level: /\.(png|jpe?g|pdf|zip)$/i.test(name) ? 0 : 6 }]]),
  );
  return new Promise((resolve, reject) => zip(tree, (error, data) => (error ? reject(error) : resolve(Buffer.from(data)))));
}

/** The installation's Ed25519 key; made when the first pack is. Whoever was first to store one wins. */
async function signingKey(db: Db): Promise<ReturnType<typeof createPrivateKey>> {
  const find = async () => (await db.select().from(settings).where(eq(settings.name, 'packKey')))[0]?.value;
  const known = await find();
  if (known) return createPrivateKey(known);
  const { privateKey } = generateKeyPairSync('ed25519');
  await db
    .insert(settings)
    .ignore()
    .values({ name: 'packKey', value: privateKey.export({ type: 'pkcs8', format: 'pem' }).toString() });
  return createPrivateKey((await find()) ?? '');
}

async function gather(
  tx: Tx,
  job: StoredJob,
  progress: JobProgress,
  files: Files,
): Promise<{ summary: SummaryPaper; runsPaper: RunsPaper; verify: Omit<Parameters<typeof verifyText>[0], 'keyHash'> }> {
  const { projectId } = job;
  await progress.report(0.05, 'Reading the build');
  const seq = await ledgerHead(tx, projectId);
  const build = await needBuild(tx, projectId, job.build);
  const [project] = await tx.select().from(projects).where(eq(projects.id, projectId));
  let whole: Promise<ReturnType<typeof coverageOf>> | undefined;
  const facts = await readFacts(tx, {
    projectId,
    build,
    profile: project.profile,
    judged: 'all',
    credited: 'all',
    hasMetric: async (reader, metric) => {
      whole ??= (async () =>
        coverageOf((await reader.filesOf([...(await reader.sources()).values()].map(({ id }) => id))).map((file) => file.credit)))();
      return (await whole)[metric].found > 0;
    },
  });
  const credits = (await facts.reader.filesOf([...(await facts.reader.sources()).values()].map(({ id }) => id))).map((file) => file.credit);
  const head: PaperHead = {
    project: project.name,
    build: build.name,
    standard: `${project.profile.standard} · ${project.level}`,
    at: new Date().toISOString(),
    seq,
  };
  await progress.report(0.15, 'Judging every cord');
  const cords = [...judgeCords(facts.input)].sort((a, b) => compareKeys(a.key, b.key));
  files.set(
    'cords/cords.json',
    pretty({
      build: build.name,
      seq,
      cords: cords.map((cord) => ({
        ...cord,
        knots: perKnot((k) => ({
          state: cord.knots[k].state,
          reasons: cord.knots[k].reasons.map((r) => ({ words: reasonWords(r), records: r.records })),
        })),
      })),
    }),
  );
  files.set('breaks.csv', Buffer.from(breaksCsv(cords)));
  const problemIds = await tx.select({ id: problems.id }).from(problems).where(eq(problems.projectId, projectId));
  const standing = new Set(facts.input.problems.filter((p) => p.standing).map((p) => p.key));
  const problemList = (
    await problemsById(
      tx,
      problemIds.map(({ id }) => id),
    )
  )
    .filter((problem) => problem.build === build.name || standing.has(problem.key))
    .map(({ id: _, ...problem }) => problem);
  files.set('problems.json', pretty(problemList));
  const requirementIds = await tx.select({ id: requirements.id }).from(requirements).where(eq(requirements.projectId, projectId));
  const requirementRows = (
    await requirementsById(
      tx,
      requirementIds.map(({ id }) => id),
    )
  ).sort((a, b) => compareKeys(a.key, b.key));
  files.set('requirements.json', pretty(requirementRows.map(({ id: _, ...requirement }) => requirement)));
  const caseRows = await tx
    .select({ record: records, row: cases })
    .from(cases)
    .innerJoin(records, eq(records.id, cases.id))
    .where(eq(cases.projectId, projectId));
  files.set(
    'cases.json',
    pretty(
      caseRows
        .sort((a, b) => compareKeys(a.record.key, b.record.key))
        .map((c) => ({ key: c.record.key, revision: c.record.revision, state: c.record.state, ...caseContent(c) })),
    ),
  );
  await addTraces(tx, projectId, build, files);
  addCoverageFiles(build.name, credits, files, Date.parse(head.at));
  await progress.report(0.25, 'Collecting run records and evidence');
  const runsPaper: RunsPaper = { kind: 'runs', head, runs: await gatherRuns(tx, build, progress, files, problemList) };
  const rows = matrix(facts, credits, requirementRows, runsPaper, problemList);
  files.set('trace/matrix.csv', Buffer.from(matrixCsv(rows)));
  files.set('trace/matrix.html', Buffer.from(matrixHtml(`Trace matrix · ${project.name} · ${build.name}`, rows)));
  await progress.report(0.5, 'Copying the ledger');
  const lines: string[] = [];
  let last = ledgerRoot;
  for await (const entry of ledgerEntries(tx, projectId)) {
    if (entry.seq > seq) break;
    lines.push(ledgerText(entry, entry.previous));
    last = entry.hash;
  }
  files.set('ledger.jsonl', Buffer.from(lines.map((line) => `${line}\n`).join('')));
  const summary: SummaryPaper = {
    kind: 'summary',
    head,
    counts: stateCounts(cords),
    totals: boardTotals(cords).knots,
    cords: cords.map((cord) => ({
      key: cord.key,
      title: cord.title,
      level: cord.level,
      states: perKnot((k) => cord.knots[k].state),
      words: firstWords(cord),
    })),
    coverage: credits
      .flatMap((credit) => (credit.file.byCase.length ? [coverageRow(credit.path, coverageOf([credit]))] : []))
      .concat(coverageRow('All files', coverageOf(credits))),
    note: `Targets of ${project.profile.standard}: ${project.profile.note}`,
  };
  return { summary, runsPaper, verify: { project: project.name, build: build.name, at: head.at, seq, entries: lines.length, head: last } };
}

function firstWords(cord: Cord): string {
  const reason = cord.firstBreak && cord.knots[cord.firstBreak].reasons[0];
  return reason ? reasonWords(reason) : 'Proved';
}

function coverageRow(name: string, coverage: ReturnType<typeof coverageOf>): SummaryPaper['coverage'][number] {
  const cell = (metric: 'line' | 'branch', lane: 'exercised' | 'credited'): string => {
    const ratio = ratioOf(coverage[metric], lane);
    return `${percent(ratio)} % (${ratio.hit}/${ratio.found})`;
  };
  return { name, cells: [cell('line', 'exercised'), cell('line', 'credited'), cell('branch', 'exercised'), cell('branch', 'credited')] };
}

type PackProblem = { readonly key: string; readonly state: string; readonly run: string | null; readonly requirements: readonly string[] };

async function gatherRuns(
  tx: Tx,
  build: StoredBuild,
  progress: JobProgress,
  files: Files,
  problemList: readonly PackProblem[],
): Promise<RunsPaper['runs']> {
  const rows = await selectRuns(tx, eq(runs.buildId, build.id));
  const ids = rows.map(({ run }) => run.id);
  const keys = new Map(rows.map(({ run, record }) => [run.id, record.key]));
  const evidence = await evidenceOf(tx, ids);
  const signed = groupBy(await signaturesOf(tx, ids), (s) => s.recordId);
  const decided = groupBy(await decisionsOf(tx, ids), (d) => d.recordId);
  const papers: RunsPaper['runs'][number][] = [];
  for (const [i, stored] of rows.entries()) {
    const { run } = stored;
    if (i % 20 === 0) await progress.report(0.25 + (0.25 * i) / rows.length, `Collecting run ${i + 1} of ${rows.length}`);
    const mine = evidence.get(run.id) ?? [];
    const record = runRecord(stored, mine);
    const folder = `runs/${record.key}`;
    // Exactly the bytes whose hash the signatures are bound to.
    files.set(`${folder}/record.json`, Buffer.from(runText(run.format, record)));
    const marks = (signed.get(run.id) ?? []).map(({ meaning, login, printedName, at, format, hash, reason }) => ({
      meaning,
      login,
      printedName,
      at,
      format,
      hash,
      reason,
    }));
    files.set(`${folder}/signatures.json`, pretty(marks));
    const choices = (decided.get(run.id) ?? []).map(({ choice, reason, login, at }) => ({ choice, reason, login, at }));
    const supersededBy = run.supersededById === null ? null : (keys.get(run.supersededById) ?? null);
    if (choices.length || supersededBy || run.withdrawnAt || run.returnedAt)
      files.set(
        `${folder}/decisions.json`,
        pretty({
          supersededBy,
          carriedOverTo: run.carriedOverTo,
          withdrawnAt: run.withdrawnAt,
          returnedAt: run.returnedAt,
          decisions: choices,
        }),
      );
    for (const file of mine) files.set(`${folder}/evidence/${file.step}-${file.id}-${file.name}`, await wholeBlob(tx, file.sha256));
    if (run.verdict === null) continue;
    papers.push({
      record,
      hash: runHash(run.format, record),
      signatures: marks,
      problems: problemList.filter((p) => p.run === record.key).map((p) => `${p.key} (${p.state})`),
      notes: [
        ...choices.map((d) => `${d.choice} by ${d.login}, ${d.at.slice(0, 10)}: ${d.reason}`),
        ...(supersededBy ? [`superseded by ${supersededBy}`] : []),
        ...record.corrections.map((c) => `corrected ${c.at.slice(0, 10)}: ${c.reason}`),
      ],
    });
  }
  return papers;
}

function matrix(
  { input }: Facts,
  credits: readonly FileCredit[],
  rows: Awaited<ReturnType<typeof requirementsById>>,
  paper: RunsPaper,
  problemList: readonly PackProblem[],
): MatrixRow[] {
  const units = groupBy(
    credits.flatMap(({ path, file }) =>
      file.units.flatMap((unit) => unit.requirements.map((key) => ({ key, name: `${path}:${unit.name}` }))),
    ),
    ({ key }) => key,
    ({ name }) => name,
  );
  const runsOf = groupBy(input.runs, (run) => run.caseKey);
  const casesOf = groupBy(input.verifies, (t) => t.to);
  const parentsOf = groupBy(input.parents, (t) => t.from);
  const revisionOf = new Map(input.cases.map((c) => [c.key, c.revision]));
  const signedBy = new Map(paper.runs.map((p) => [p.record.key, p.signatures]));
  return rows
    .filter((r) => r.kind === 'requirement')
    .flatMap((r): MatrixRow[] => {
      const base = {
        requirement: r.key,
        revision: r.revision,
        title: r.title,
        level: r.level,
        parents: (parentsOf.get(r.key) ?? []).map((t) => t.to),
        code: units.get(r.key) ?? [],
        problems: problemList.filter((p) => p.requirements.includes(r.key)).map((p) => `${p.key}(${p.state})`),
      };
      const blank = { caseKey: '', caseRevision: null, run: '', verdict: '', performed: '', reviewed: '' };
      const mine = casesOf.get(r.key) ?? [];
      if (!mine.length) return [{ ...base, ...blank }];
      return mine.flatMap((t): MatrixRow[] => {
        const own = runsOf.get(t.from) ?? [];
        if (!own.length) return [{ ...base, ...blank, caseKey: t.from, caseRevision: revisionOf.get(t.from) ?? null }];
        return own.map((run) => {
          const signed = signedBy.get(run.key) ?? [];
          const name = (meaning: string): string => signed.find((s) => s.meaning === meaning)?.printedName ?? '';
          return {
            ...base,
            caseKey: t.from,
            caseRevision: run.caseRevision,
            run: run.key,
            verdict: run.verdict ? verdictWords[run.verdict] : 'not recorded',
            performed: name('performed'),
            reviewed: name('reviewed'),
          };
        });
      });
    });
}
