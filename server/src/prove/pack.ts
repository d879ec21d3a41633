import { compareKeys, groupBy, ledgerRoot, ledgerText, perKnot } from '@core/base';
import { coverageOf, ratioOf, shareOf, type FileCredit } from '@core/measure';
import {
  boardTotals,
  breaksCsv,
  judgeCords,
  matrixCsv,
  matrixHtml,
  packIndex,
  reasonWords,
  statementText,
  stateCounts,
  stateWords,
  cordState,
  verifyText,
  type Cord,
  type LeftTheCount,
  type MatrixRow,
} from '@core/prove';
import { verdictWords } from '@core/run';
import { sign } from 'node:crypto';
import { eq } from 'drizzle-orm';
import {
  ledgerEntries,
  ledgerHead,
  needBuild,
  projects,
  records,
  type Db,
  type JobFile,
  type JobProgress,
  type StoredJob,
  type Tx,
} from '../base';
import { caseContent, caseDetails, cases } from '../design';
import { problems, problemsById } from '../run';
import { requirements, requirementsById } from '../specify';
import { leftTheCount } from './cord-rows';
import { readFacts, type Facts } from './facts';
import {
  addAttestations,
  addCarriedRuns,
  addCarries,
  addConfiguration,
  addCoverageFiles,
  addMeasurements,
  addDecisions,
  addPeople,
  addTraces,
  pretty,
  type PackSource,
} from './pack-data';
import { signingKey, type PackKey } from './pack-key';
import { signHead } from './signed-heads';
import { addCasePages, addRequirementPages, addSignedTexts, signatureList, type PackContents } from './pack-records';
import { addRuns, type PackedRun, type PackProblem } from './pack-runs';
import { PackWriter } from './pack-writer';
import type { PaperHead, SummaryPaper } from './paper';
import setPaper from './papers';

/**
 * Makes the proof pack of a build: everything is read in one snapshot of the database, so that the pack is of one ledger number, and
 * written out as it is made. Begun again from the start if its worker dies.
 */
export async function makeProofPack(db: Db, job: StoredJob, progress: JobProgress): Promise<JobFile> {
  const { key, all } = await signingKey(db);
  const at = new Date();
  const out = new PackWriter(db, at);
  try {
    const { seq } = await db.transaction((tx) => gather(tx, job, progress, out, all, at), { isolationLevel: 'repeatable read' });
    await progress.report(0.94, 'Hashing and signing');
    const sums = [...out.sums]
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, sum]) => `${sum}  ${name}\n`)
      .join('');
    await out.add('SHA256SUMS', sums);
    await out.add('SHA256SUMS.sig', sign(null, Buffer.from(sums), key));
    await signHead(db, job.projectId, at);
    await progress.report(0.97, 'Storing');
    return { name: `${packName(job.build, seq)}.zip`, ...(await out.finish()) };
  } catch (error) {
    await out.drop().catch(() => undefined);
    throw error;
  }
}

const packName = (build: string, seq: number): string => `proof-pack-${build.replace(/[^\w.-]/g, '_')}-${seq}`;

async function gather(
  tx: Tx,
  job: StoredJob,
  progress: JobProgress,
  out: PackWriter,
  keys: readonly PackKey[],
  at: Date,
): Promise<{ seq: number }> {
  const { projectId } = job;
  await progress.report(0.05, 'Reading the build');
  const seq = await ledgerHead(tx, projectId);
  const build = await needBuild(tx, projectId, job.build);
  const [project] = await tx.select().from(projects).where(eq(projects.id, projectId));
  const source: PackSource = { tx, projectId, build, seq, out };
  const key = keys[keys.length - 1];
  const head: PaperHead = {
    project: project.name,
    build: build.name,
    standard: `${project.profile.standard} · ${project.level}`,
    at: at.toISOString(),
    seq,
    pack: packName(build.name, seq),
    number: `CP-${seq}`,
    fingerprint: key.fingerprint,
  };
  const facts = await readFacts(tx, {
    projectId,
    build,
    profile: project.profile,
    judged: 'all',
    credited: 'all',
    hasMetric: async (reader, metric) => coverageOf(await creditsOf(reader))[metric].found > 0,
  });
  const credits = await creditsOf(facts.reader);
  await progress.report(0.15, 'Judging every cord');
  const cords = [...judgeCords(facts.input)].sort((a, b) => compareKeys(a.key, b.key));
  const left = await leftTheCount(tx, projectId);
  await addCords(out, build.name, seq, cords, left);
  const problemList = await problemsOf(tx, projectId, build.name, facts);
  await out.add('problems.json', pretty(problemList));
  const requirementIds = await tx.select({ id: requirements.id }).from(requirements).where(eq(requirements.projectId, projectId));
  const requirementRows = (
    await requirementsById(
      tx,
      requirementIds.map(({ id }) => id),
    )
  ).sort((a, b) => compareKeys(a.key, b.key));
  await out.add('requirements.json', pretty(requirementRows.map(({ id: _, ...requirement }) => requirement)));
  const caseRows = (
    await tx
      .select({ record: records, row: cases, details: caseDetails })
      .from(cases)
      .innerJoin(records, eq(records.id, cases.id))
      .leftJoin(caseDetails, eq(caseDetails.id, cases.id))
      .where(eq(cases.projectId, projectId))
  )
    .sort((a, b) => compareKeys(a.record.key, b.record.key))
    .map((c) => ({ id: c.record.id, key: c.record.key, revision: c.record.revision, state: c.record.state, content: caseContent(c) }));
  await out.add(
    'cases.json',
    pretty(caseRows.map(({ key: name, revision, state, content }) => ({ key: name, revision, state, ...content }))),
  );
  await addTraces(source);
  await addConfiguration(source, project.profile);
  await addPeople(source);
  await addDecisions(source);
  await addCoverageFiles(source, credits, facts.input.code, at.getTime());
  await addMeasurements(source);
  await addAttestations(source);
  await addCarries(source);
  await addCarriedRuns(source);
  let parts = 0;
  const { runs, signatures } = await addRuns(source, problemList, progress, async (part, first) => {
    parts++;
    if (!part.length && !first) return;
    const paper = await setPaper({ kind: 'runs', head: { ...head, number: `${head.number}-R${parts}` }, runs: part });
    await out.add(first ? 'runs/runs.pdf' : `runs/runs-${parts}.pdf`, Buffer.from(paper));
  });
  if (!parts)
    await out.add('runs/runs.pdf', Buffer.from(await setPaper({ kind: 'runs', head: { ...head, number: `${head.number}-R1` }, runs: [] })));
  await out.add('signatures.tsv', signatureList([...signatures, ...(await addSignedTexts(source))]));
  await progress.report(0.7, 'Writing pages and the matrix');
  const code = codeOf(credits);
  const rows = matrix(facts, code, requirementRows, runs, problemList);
  await out.add('trace/matrix.csv', matrixCsv(rows));
  await out.add('trace/matrix.html', matrixHtml(`Trace matrix · ${project.name} · ${build.name}`, rows));
  const contents: PackContents = {
    pack: `${head.pack} · ${project.name} · build ${build.name}`,
    requirements: requirementRows,
    cases: caseRows,
    cords: new Map(cords.map((cord) => [cord.key, cord])),
    verifies: facts.input.verifies,
    parents: facts.input.parents,
    runs,
    code,
    problems: problemList,
  };
  await addRequirementPages(source, contents);
  await addCasePages(source, contents);
  await addIndex(out, head, contents);
  await progress.report(0.85, 'Copying the ledger');
  const { entries, last } = await addLedger(tx, projectId, seq, out);
  await progress.report(0.9, 'Setting the summary');
  await addSummary(out, summaryOf(head, project.profile, cords, credits, left));
  await addKeys(out, keys);
  await out.add('STATEMENT.md', statementText);
  await out.add(
    'VERIFY.md',
    verifyText({
      project: project.name,
      build: build.name,
      at: head.at,
      seq,
      entries,
      head: last,
      keyHash: key.fingerprint,
      keyMadeAt: key.madeAt,
      keys: keys.length,
    }),
  );
  return { seq };
}

/** The credit of every file of the build; the reader holds it once it was judged. */
async function creditsOf(reader: Facts['reader']): Promise<FileCredit[]> {
  return (await reader.filesOf([...(await reader.sources()).values()].map(({ id }) => id))).map((file) => file.credit);
}

/** A page of paper holds so much that only so many requirements are set at a time. */
const inSummary = 500;

/** The summary with the first requirements, and as many further papers as the others need. */
async function addSummary(out: PackWriter, summary: SummaryPaper): Promise<void> {
  const { head, cords } = summary;
  await out.add('summary.pdf', Buffer.from(await setPaper({ ...summary, cords: cords.slice(0, inSummary) })));
  for (let at = inSummary, part = 2; at < cords.length; at += inSummary, part++)
    await out.add(
      `summary-${part}.pdf`,
      Buffer.from(
        await setPaper({
          kind: 'requirements',
          head: { ...head, number: `${head.number}${part}` },
          cords: cords.slice(at, at + inSummary),
        }),
      ),
    );
}

async function addCords(
  out: PackWriter,
  build: string,
  seq: number,
  cords: readonly Cord[],
  left: LeftTheCount | undefined,
): Promise<void> {
  await out.add(
    'cords/cords.json',
    pretty({
      build,
      seq,
      ...(left ? { left } : {}),
      cords: cords.map((cord) => ({
        ...cord,
        knots: perKnot((k) => ({
          state: cord.knots[k].state,
          reasons: cord.knots[k].reasons.map((r) => ({ words: reasonWords(r), records: r.records })),
        })),
      })),
    }),
  );
  await out.add('breaks.csv', breaksCsv(cords));
}

/** Problem reports of the build, and those of other builds that stand on it. */
async function problemsOf(tx: Tx, projectId: number, build: string, facts: Facts) {
  const ids = await tx.select({ id: problems.id }).from(problems).where(eq(problems.projectId, projectId));
  const standing = new Set(facts.input.problems.filter((p) => p.standing).map((p) => p.key));
  return (
    await problemsById(
      tx,
      ids.map(({ id }) => id),
    )
  )
    .filter((problem) => problem.build === build || standing.has(problem.key))
    .map(({ id: _, ...problem }) => problem);
}

/** The ledger up to a number, an entry a line; answers how many there are and the hash of the last. */
async function addLedger(tx: Tx, projectId: number, seq: number, out: PackWriter): Promise<{ entries: number; last: string }> {
  let entries = 0;
  let last = ledgerRoot;
  const lines = async function* (): AsyncGenerator<string> {
    for await (const entry of ledgerEntries(tx, projectId)) {
      if (entry.seq > seq) return;
      entries++;
      last = entry.hash;
      yield `${ledgerText(entry, entry.previous)}\n`;
    }
  };
  await out.addStream('ledger.jsonl', lines());
  return { entries, last };
}

async function addKeys(out: PackWriter, keys: readonly PackKey[]): Promise<void> {
  await out.add('public-key.pem', keys[keys.length - 1].publicKey);
  for (const key of keys) {
    await out.add(`keys/${key.id}.pem`, key.publicKey);
    if (key.signature) await out.add(`keys/${key.id}.sig`, key.signature);
  }
}

async function addIndex(out: PackWriter, head: PaperHead, c: PackContents): Promise<void> {
  await out.add(
    'index.html',
    packIndex(
      c.pack,
      [
        ['Standard', head.standard],
        ['Made', head.at],
        ['From ledger entry', String(head.seq)],
        ['Fingerprint of the signing key', head.fingerprint],
        ['How to check it', 'VERIFY.md'],
      ],
      [
        [
          'Requirements',
          c.requirements.map((r) => {
            const cord = c.cords.get(r.key);
            return { href: `requirements/${r.key}.html`, key: r.key, title: r.title, note: cord ? stateWords[cordState(cord)] : r.kind };
          }),
        ],
        ['Cases', c.cases.map((x) => ({ href: `cases/${x.key}.html`, key: x.key, title: x.content.title, note: x.state }))],
      ],
    ),
  );
}

function summaryOf(
  head: PaperHead,
  profile: { readonly standard: string; readonly note: string },
  cords: readonly Cord[],
  credits: readonly FileCredit[],
  left: LeftTheCount | undefined,
): SummaryPaper {
  return {
    kind: 'summary',
    head: { ...head, number: `${head.number}-S` },
    of: cords.length,
    counts: stateCounts(cords),
    totals: boardTotals(cords).knots,
    ...(left ? { left } : {}),
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
    note: `Targets of ${profile.standard}: ${profile.note}`,
  };
}

function firstWords(cord: Cord): string {
  const reason = cord.firstBreak && cord.knots[cord.firstBreak].reasons[0];
  return reason ? reasonWords(reason) : 'Proved';
}

function coverageRow(name: string, coverage: ReturnType<typeof coverageOf>): SummaryPaper['coverage'][number] {
  const cell = (metric: 'line' | 'branch', lane: 'exercised' | 'credited'): string => {
    const ratio = ratioOf(coverage[metric], lane);
    return ratio.found ? `${shareOf(ratio)} (${ratio.hit}/${ratio.found})` : shareOf(ratio);
  };
  return { name, cells: [cell('line', 'exercised'), cell('line', 'credited'), cell('branch', 'exercised'), cell('branch', 'credited')] };
}

/** The functions that name each requirement. */
function codeOf(credits: readonly FileCredit[]): Map<string, string[]> {
  return groupBy(
    credits.flatMap(({ path, file }) =>
      file.units.flatMap((unit) => unit.requirements.map((key) => ({ key, name: `${path}:${unit.name}` }))),
    ),
    ({ key }) => key,
    ({ name }) => name,
  );
}

function matrix(
  { input }: Facts,
  units: ReadonlyMap<string, readonly string[]>,
  rows: Awaited<ReturnType<typeof requirementsById>>,
  packed: readonly PackedRun[],
  problemList: readonly PackProblem[],
): MatrixRow[] {
  const packedRun = new Map(packed.map((run) => [run.key, run]));
  const runsOf = groupBy(input.runs, (run) => run.caseKey);
  const casesOf = groupBy(input.verifies, (t) => t.to);
  const parentsOf = groupBy(input.parents, (t) => t.from);
  const revisionOf = new Map(input.cases.map((c) => [c.key, c.revision]));
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
          return {
            ...base,
            caseKey: t.from,
            caseRevision: run.caseRevision,
            run: run.key,
            verdict: run.verdict ? verdictWords[run.verdict] : 'not recorded',
            performed: packedRun.get(run.key)?.performed ?? '',
            reviewed: packedRun.get(run.key)?.reviewed ?? '',
          };
        });
      });
    });
}
