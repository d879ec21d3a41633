import { groupBy, textHash } from '@core/base';
import { caseText, type CaseContent } from '@core/design';
import { packPage, type Cord, type PackLink } from '@core/prove';
import { requirementText, type RequirementContent } from '@core/specify';
import { and, asc, eq, inArray, isNotNull } from 'drizzle-orm';
import { readBlob, records, revisions, signatures, signaturesOf } from '../base';
import { attestationText, carriedRunsText, carriedText, type AttestedText, type CarriedRunsText, type CarriedText } from '../measure';
import type { requirementsById } from '../specify';
import type { PackSource } from './pack-data';
import type { PackedRun, PackProblem, SignatureLine } from './pack-runs';

/** What the pages of requirements and cases are made from. */
export interface PackContents {
  readonly pack: string;
  readonly requirements: Awaited<ReturnType<typeof requirementsById>>;
  readonly cases: readonly {
    readonly id: number;
    readonly key: string;
    readonly state: string;
    readonly revision: number;
    readonly content: CaseContent;
  }[];
  readonly cords: ReadonlyMap<string, Cord>;
  readonly verifies: readonly { readonly from: string; readonly to: string }[];
  readonly parents: readonly { readonly from: string; readonly to: string }[];
  readonly runs: readonly PackedRun[];
  readonly code: ReadonlyMap<string, readonly string[]>;
  readonly problems: readonly PackProblem[];
}

/** So many records are read at a time. */
const atATime = 200;

/** The texts that approvals of requirements and cases are bound to, and every signature that is not of a run. */
export async function addSignedTexts({ tx, projectId, out }: PackSource): Promise<SignatureLine[]> {
  const rows = await tx
    .select({ signature: signatures, key: records.key, kind: records.kind })
    .from(signatures)
    .innerJoin(records, eq(records.id, signatures.recordId))
    .where(
      and(
        eq(signatures.projectId, projectId),
        inArray(records.kind, [
          'requirement',
          'case',
          'build',
          'upload',
          'project',
          'problem',
          'attestation',
          'carry',
          'carriedRuns',
          'review',
          'baseline',
          'flow',
          'parameters',
          'decisionTable',
          'stateTable',
        ]),
      ),
    )
    .orderBy(asc(signatures.id));
  const lines: SignatureLine[] = [];
  const written = new Set<string>();
  for (let from = 0; from < rows.length; from += atATime) {
    const part = rows.slice(from, from + atATime);
    const retained = await snapshotsOf(
      tx,
      part.map(({ signature }) => signature.recordId),
    );
    for (const { signature, key, kind } of part) {
      const { recordId, revision, hash, login, at, meaning, printedName } = signature;
      let file = '-';
      if (kind === 'requirement' || kind === 'case' || kind === 'attestation' || kind === 'carry' || kind === 'carriedRuns') {
        const name = `signed/${key}/revision-${revision}.json`;
        const snapshot = retained.get(`${recordId} ${revision} ${hash}`);
        const text = snapshot && signedText(kind, key, revision, snapshot);
        if (text !== undefined && textHash(text) === hash) {
          file = name;
          if (!written.has(name)) await out.add(name, text);
          written.add(name);
        }
      }
      // A baseline is signed over its file, whole.
      if (kind === 'baseline') {
        file = `signed/${key}/baseline.json`;
        if (!written.has(file)) await out.addStream(file, readBlob(tx, hash));
        written.add(file);
      }
      lines.push({ file, hash, login, at, meaning, record: key, printedName });
    }
  }
  return lines;
}

/** The snapshots of records that have a hash to be signed, by record, revision and hash. */
async function snapshotsOf(tx: PackSource['tx'], recordIds: readonly number[]): Promise<Map<string, object>> {
  const rows = await tx
    .select({ recordId: revisions.recordId, revision: revisions.revision, hash: revisions.hash, snapshot: revisions.snapshot })
    .from(revisions)
    .where(and(inArray(revisions.recordId, [...new Set(recordIds)]), isNotNull(revisions.hash)));
  return new Map(rows.map((row) => [`${row.recordId} ${row.revision} ${row.hash}`, row.snapshot]));
}

function signedText(
  kind: 'requirement' | 'case' | 'attestation' | 'carry' | 'carriedRuns',
  key: string,
  revision: number,
  snapshot: object,
): string {
  if (kind === 'attestation') return attestationText(key, revision, snapshot as AttestedText);
  if (kind === 'carriedRuns') return carriedRunsText(key, revision, snapshot as CarriedRunsText);
  if (kind === 'carry') return carriedText(key, revision, snapshot as CarriedText);
  return kind === 'requirement'
    ? requirementText(key, revision, snapshot as RequirementContent)
    : caseText(key, revision, snapshot as CaseContent);
}

export const signatureList = (lines: readonly SignatureLine[]): string =>
  [
    'file\tsha256\tlogin\tat\tmeaning\trecord\tprinted name',
    ...lines.map((l) => [l.file, l.hash, l.login, l.at, l.meaning, l.record, l.printedName.replace(/[\t\r\n]/g, ' ')].join('\t')),
  ].join('\n') + '\n';

/** History and signatures of some records, by their ids. */
async function pastOf({ tx }: PackSource, ids: readonly number[]) {
  const history = groupBy(
    await tx
      .select({
        id: revisions.recordId,
        revision: revisions.revision,
        state: revisions.state,
        by: revisions.by,
        at: revisions.at,
        seq: revisions.seq,
        reason: revisions.reason,
      })
      .from(revisions)
      .where(inArray(revisions.recordId, [...ids]))
      .orderBy(asc(revisions.recordId), asc(revisions.seq)),
    (r) => r.id,
  );
  const signed = groupBy(await signaturesOf(tx, ids), (s) => s.recordId);
  return { history, signed };
}

const yes = (value: boolean): string => (value ? 'yes' : 'no');
const runLink = (run: PackedRun): PackLink => ({
  href: `../runs/${run.key}/record.json`,
  words: `${run.key} of ${run.caseKey} revision ${run.caseRevision}: ${run.verdict ?? 'not recorded'}${run.performed ? `, performed by ${run.performed}` : ''}${run.reviewed ? `, reviewed by ${run.reviewed}` : ''}${run.carriedBy ? `, of another build, carried to this one by ${run.carriedBy}` : ''}`,
});

/** A page for every requirement: all that proves it, at one place. */
export async function addRequirementPages(source: PackSource, c: PackContents): Promise<void> {
  const casesOf = groupBy(
    c.verifies,
    (t) => t.to,
    (t) => t.from,
  );
  const parentsOf = groupBy(
    c.parents,
    (t) => t.from,
    (t) => t.to,
  );
  const childrenOf = groupBy(
    c.parents,
    (t) => t.to,
    (t) => t.from,
  );
  const runsOf = groupBy(c.runs, (r) => r.caseKey);
  const toRequirement = (key: string): PackLink => ({ href: `${key}.html`, words: key });
  const pictures = new Set<string>();
  for (let at = 0; at < c.requirements.length; at += atATime) {
    const part = c.requirements.slice(at, at + atATime);
    const { history, signed } = await pastOf(
      source,
      part.map(({ id }) => id),
    );
    for (const r of part) {
      const cases = casesOf.get(r.key) ?? [];
      const cord = c.cords.get(r.key);
      await source.out.add(
        `requirements/${r.key}.html`,
        packPage(
          {
            key: r.key,
            title: r.title,
            facts: [
              ['Specification', r.specification],
              ['Revision', `${r.revision}, ${r.state}`],
              ['Level', r.level],
              ['Verification method', r.method],
              ['Top level', yes(r.topLevel)],
              ['Derived', yes(r.derived)],
              ['Not in code', r.notInCode ? r.notInCodeRationale || 'yes' : 'no'],
            ],
            paragraphs: [
              ['Text', r.text, r.html && withPictures(r.html, pictures)],
              ['Rationale', r.rationale],
            ],
            ...(cord ? { cord } : {}),
            links: [
              ['Derived from', (parentsOf.get(r.key) ?? []).map(toRequirement)],
              ['Derived from it', (childrenOf.get(r.key) ?? []).map(toRequirement)],
              ['Verified by', cases.map((key): PackLink => ({ href: `../cases/${key}.html`, words: key }))],
              ['Runs on this build', cases.flatMap((key) => (runsOf.get(key) ?? []).map(runLink))],
              ['Code', (c.code.get(r.key) ?? []).map((words): PackLink => ({ href: null, words }))],
              [
                'Problem reports',
                c.problems
                  .filter((p) => p.requirements.includes(r.key))
                  .map((p): PackLink => ({ href: null, words: `${p.key} (${p.state})` })),
              ],
            ],
            approvals: signed.get(r.id) ?? [],
            history: history.get(r.id) ?? [],
          },
          c.pack,
        ),
      );
    }
  }
  for (const sha256 of [...pictures].sort()) await source.out.addStream(`pictures/${sha256}`, readBlob(source.tx, sha256));
}

/** A layout whose pictures are the pack's; which they are is noted. */
const withPictures = (html: string, pictures: Set<string>): string =>
  html.replace(/src="files\/([0-9a-f]{64})"/g, (_, sha256: string) => {
    pictures.add(sha256);
    return `src="../pictures/${sha256}"`;
  });

export async function addCasePages(source: PackSource, c: PackContents): Promise<void> {
  const requirementsOf = groupBy(
    c.verifies,
    (t) => t.from,
    (t) => t.to,
  );
  const runsOf = groupBy(c.runs, (r) => r.caseKey);
  for (let at = 0; at < c.cases.length; at += atATime) {
    const part = c.cases.slice(at, at + atATime);
    const { history, signed } = await pastOf(
      source,
      part.map(({ id }) => id),
    );
    for (const { id, key, state, revision, content } of part)
      await source.out.add(
        `cases/${key}.html`,
        packPage(
          {
            key,
            title: content.title,
            facts: [
              ['Revision', `${revision}, ${state}`],
              ['Planned minutes', String(content.plannedMinutes)],
              ['Data rows', (content.rows ?? []).map((row) => row.name).join(', ')],
            ],
            paragraphs: [
              ['Objective', content.objective],
              ['Preconditions', content.preconditions],
            ],
            steps: content.steps,
            links: [
              ['Verifies', (requirementsOf.get(key) ?? []).map((r): PackLink => ({ href: `../requirements/${r}.html`, words: r }))],
              ['Runs on this build', (runsOf.get(key) ?? []).map(runLink)],
            ],
            approvals: signed.get(id) ?? [],
            history: history.get(id) ?? [],
          },
          c.pack,
        ),
      );
  }
}
