import { createHash, createPrivateKey, createPublicKey, generateKeyPairSync, sign } from 'node:crypto';
import { canonicalJson, compareKeys, ledgerRoot, perKnot, type Json } from '@core/base';
import { addCoverage, coverageOf, noCoverage, percent, pointsOf, ratioOf, writeCobertura, writeLcov, type FileCredit } from '@core/measure';
import {
  boardTotals,
  breaksCsv,
  coverageCsv,
  judgeCords,
  matrixCsv,
  matrixHtml,
  reasonWords,
  stateCounts,
  verifyText,
  type Cord,
  type MatrixRow,
} from '@core/prove';
import { and, asc, eq } from 'drizzle-orm';
import { zip, type AsyncZippable } from 'fflate';
import {
  ledgerEntries,
  projects,
  settings,
  signatures,
  storeBlob,
  wholeBlob,
  type Db,
  type JobFile,
  type JobTalk,
  type StoredJob,
  type Tx,
} from '../base';
import { caseContent, cases } from '../design';
import { readFacts, type BuildFacts } from '../measure';
import { decisions, evidenceOf, listProblems, runRecord, runs } from '../run';
import { runHash, verdictWords } from '@core/run';
import { asRequirement, requirements } from '../specify';
import type { PaperHead, RunsPaper, SummaryPaper } from './papers';

export type SetPaper = (paper: SummaryPaper | RunsPaper) => Promise<Uint8Array>;

type Files = Map<string, Buffer>;
const pretty = (value: unknown): Buffer => Buffer.from(`${JSON.stringify(value, null, 1)}\n`);

/**
 * Makes the proof pack of a build: everything is read in one snapshot of the database, so that the pack is of one ledger
 * number. Begun again from the start if its worker dies: nothing is stored before the whole is made.
 */
export async function makeProofPack(db: Db, job: StoredJob, talk: JobTalk, setPaper: SetPaper): Promise<JobFile> {
  const files: Files = new Map();
  const { summary, runsPaper, verify } = await db.transaction((tx) => gather(tx, job, talk, files), { isolationLevel: 'repeatable read' });
  await talk.tell(0.55, 'Setting the summary');
  files.set('summary.pdf', Buffer.from(await setPaper(summary)));
  await talk.tell(0.65, `Setting ${runsPaper.runs.length} run records`);
  files.set('runs/runs.pdf', Buffer.from(await setPaper(runsPaper)));
  await talk.tell(0.85, 'Hashing and signing');
  const key = await signingKey(db);
  const publicKey = Buffer.from(createPublicKey(key).export({ type: 'spki', format: 'pem' }));
  files.set('public-key.pem', publicKey);
  files.set('VERIFY.md', Buffer.from(verifyText({ ...verify, keyHash: sha(publicKey) })));
  const sums = Buffer.from(
    [...files]
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, bytes]) => `${sha(bytes)}  ${name}\n`)
      .join(''),
  );
  files.set('SHA256SUMS', sums);
  files.set('SHA256SUMS.sig', sign(null, sums, key));
  await talk.tell(0.92, 'Packing');
  const archive = await pack(files, new Date(verify.at));
  await talk.tell(0.97, 'Storing');
  const sha256 = await db.transaction((tx) => storeBlob(tx, archive));
  const safe = job.build.replace(/[^\w.-]/g, '_');
  return { name: `proof-pack-${safe}-${verify.seq}.zip`, bytes: archive.length, sha256 };
}

const sha = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex');

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
  talk: JobTalk,
  files: Files,
): Promise<{ summary: SummaryPaper; runsPaper: RunsPaper; verify: Omit<Parameters<typeof verifyText>[0], 'keyHash'> }> {
  const { projectId, build } = job;
  await talk.tell(0.05, 'Reading the build');
  const [project] = await tx.select().from(projects).where(eq(projects.id, projectId));
  const facts = await readFacts(tx, projectId, build);
  const head: PaperHead = {
    project: project.name,
    build,
    standard: `${project.profile.standard} · ${project.level}`,
    at: new Date().toISOString(),
    seq: facts.seq,
  };
  await talk.tell(0.15, 'Judging every cord');
  const cords = [...judgeCords(facts.input)].sort((a, b) => compareKeys(a.key, b.key));
  files.set(
    'cords/cords.json',
    pretty({
      build,
      seq: facts.seq,
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
  const problemList = (await listProblems(tx, projectId)).filter((problem) => problem.build === build);
  files.set('problems.json', pretty(problemList));
  const requirementRows = await tx.select().from(requirements).where(eq(requirements.projectId, projectId));
  files.set('requirements.json', pretty(requirementRows.sort((a, b) => compareKeys(a.key, b.key)).map(asRequirement)));
  const caseRows = await tx.select().from(cases).where(eq(cases.projectId, projectId)).orderBy(asc(cases.key));
  files.set('cases.json', pretty(caseRows.map((c) => ({ key: c.key, revision: c.revision, state: c.state, ...caseContent(c) }))));
  addCoverageFiles(facts, files, Date.parse(head.at));
  await talk.tell(0.25, 'Collecting run records and evidence');
  const runsPaper: RunsPaper = { kind: 'runs', head, runs: await gatherRuns(tx, projectId, build, talk, files, problemList) };
  const rows = matrix(facts, requirementRows, runsPaper, problemList);
  files.set('trace/matrix.csv', Buffer.from(matrixCsv(rows)));
  files.set('trace/matrix.html', Buffer.from(matrixHtml(`Trace matrix · ${project.name} · ${build}`, rows)));
  await talk.tell(0.5, 'Copying the ledger');
  const lines: string[] = [];
  let last = ledgerRoot;
  for await (const { hash, ...entry } of ledgerEntries(tx, projectId)) {
    if (entry.seq > facts.seq) break;
    lines.push(canonicalJson(entry as unknown as Json));
    last = hash;
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
    coverage: facts.files
      .flatMap((file, i) => (file.byCase.length ? [coverageRow(file.path, coverageOf([facts.credits[i]]))] : []))
      .concat(coverageRow('All files', coverageOf(facts.credits))),
    note: `Targets of ${project.profile.standard}: ${project.profile.note}`,
  };
  return { summary, runsPaper, verify: { project: project.name, build, at: head.at, seq: facts.seq, entries: lines.length, head: last } };
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

function addCoverageFiles(facts: BuildFacts, files: Files, madeAt: number): void {
  const perRequirement = new Map<string, ReturnType<typeof coverageOf>>();
  for (const { unit, totals } of facts.units)
    for (const key of unit.requirements) perRequirement.set(key, addCoverage(perRequirement.get(key) ?? noCoverage, totals));
  const items = [
    { scope: 'build', name: facts.build, coverage: coverageOf(facts.credits) },
    ...facts.credits.map((credit) => ({ scope: 'file', name: credit.path, coverage: coverageOf([credit]) })),
    ...facts.units.map((u) => ({ scope: 'function', name: `${u.path} ${u.unit.name}`, coverage: u.totals })),
    ...[...perRequirement].sort(([a], [b]) => compareKeys(a, b)).map(([name, coverage]) => ({ scope: 'requirement', name, coverage })),
  ];
  files.set('coverage/coverage.csv', Buffer.from(coverageCsv(items)));
  files.set(
    'coverage/coverage.json',
    pretty({ build: facts.build, items, points: facts.credits.map((credit) => ({ path: credit.path, points: pointsOf(credit) })) }),
  );
  // For other tools: both lanes in the two formats that most of them read.
  const measured = facts.credits.filter((credit) => credit.file.byCase.length > 0);
  for (const lane of ['exercised', 'credited'] as const) {
    const written = measured.map((credit: FileCredit) => ({ path: credit.path, table: credit.file.table, bits: credit[lane] }));
    files.set(`coverage/${lane}.info`, Buffer.from(writeLcov(written, facts.build)));
    files.set(`coverage/${lane}.cobertura.xml`, Buffer.from(writeCobertura(written, madeAt)));
  }
}

async function gatherRuns(
  tx: Tx,
  projectId: number,
  build: string,
  talk: JobTalk,
  files: Files,
  problemList: Awaited<ReturnType<typeof listProblems>>,
): Promise<RunsPaper['runs']> {
  const rows = await tx
    .select()
    .from(runs)
    .where(and(eq(runs.projectId, projectId), eq(runs.build, build)))
    .orderBy(asc(runs.id));
  const evidence = await evidenceOf(
    tx,
    rows.map((run) => run.id),
  );
  const signed = await tx.select().from(signatures).where(eq(signatures.projectId, projectId)).orderBy(asc(signatures.id));
  const decided = await tx.select().from(decisions).where(eq(decisions.projectId, projectId)).orderBy(asc(decisions.id));
  const papers: RunsPaper['runs'][number][] = [];
  for (const [i, run] of rows.entries()) {
    if (i % 20 === 0) await talk.tell(0.25 + (0.25 * i) / rows.length, `Collecting run ${i + 1} of ${rows.length}`);
    const mine = evidence.get(run.id) ?? [];
    const record = runRecord(run, mine);
    const folder = `runs/${run.key}`;
    // Exactly the bytes whose hash the signatures are bound to.
    files.set(`${folder}/record.json`, Buffer.from(canonicalJson(record as unknown as Json)));
    const marks = signed
      .filter((s) => s.runId === run.id)
      .map(({ meaning, login, printedName, at, hash, reason }) => ({ meaning, login, printedName, at, hash, reason }));
    files.set(`${folder}/signatures.json`, pretty(marks));
    const choices = decided.filter((d) => d.runId === run.id).map(({ choice, reason, login, at }) => ({ choice, reason, login, at }));
    if (choices.length || run.supersededBy)
      files.set(
        `${folder}/decisions.json`,
        pretty({ supersededBy: run.supersededBy, carriedOverTo: run.carriedOverTo, decisions: choices }),
      );
    for (const file of mine) files.set(`${folder}/evidence/${file.step}-${file.id}-${file.name}`, await wholeBlob(tx, file.sha256));
    if (run.verdict === null) continue;
    papers.push({
      record,
      hash: runHash(record),
      signatures: marks,
      problems: problemList.filter((p) => p.run === run.key).map((p) => `${p.key} (${p.state})`),
      notes: [
        ...choices.map((d) => `${d.choice} by ${d.login}, ${d.at.slice(0, 10)}: ${d.reason}`),
        ...(run.supersededBy ? [`superseded by ${run.supersededBy}`] : []),
      ],
    });
  }
  return papers;
}

function matrix(
  facts: BuildFacts,
  rows: readonly (typeof requirements.$inferSelect)[],
  paper: RunsPaper,
  problemList: Awaited<ReturnType<typeof listProblems>>,
): MatrixRow[] {
  const { input } = facts;
  return rows
    .filter((r) => r.kind === 'requirement')
    .flatMap((r): MatrixRow[] => {
      const base = {
        requirement: r.key,
        revision: r.revision,
        title: r.title,
        level: r.level,
        parents: input.parents.filter((t) => t.from === r.key).map((t) => t.to),
        code: facts.units.filter((u) => u.unit.requirements.includes(r.key)).map((u) => `${u.path}:${u.unit.name}`),
        problems: problemList.filter((p) => p.requirements.includes(r.key)).map((p) => `${p.key}(${p.state})`),
      };
      const blank = { caseKey: '', caseRevision: null, run: '', verdict: '', performed: '', reviewed: '' };
      const mine = input.verifies.filter((t) => t.to === r.key);
      if (!mine.length) return [{ ...base, ...blank }];
      return mine.flatMap((t): MatrixRow[] => {
        const own = input.runs.filter((run) => run.caseKey === t.from);
        if (!own.length)
          return [{ ...base, ...blank, caseKey: t.from, caseRevision: input.cases.find((c) => c.key === t.from)?.revision ?? null }];
        return own.map((run) => {
          const signed = paper.runs.find((p) => p.record.key === run.key)?.signatures ?? [];
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
