import { knots, writeCsv } from '../base';
import { ratioOf, percent, metrics, type CoverageByMetric } from '../measure';
import type { Cord } from './cord';
import { cordState } from './totals';
import { knotWords, stateWords } from './drawing';
import { metricWords } from './profile';
import { reasonWords } from './reason';

/** One row of the trace matrix: a requirement, one case that verifies it, one run of that case; blanks where the thread ends. */
export interface MatrixRow {
  readonly requirement: string;
  readonly revision: number;
  readonly title: string;
  readonly level: string;
  readonly parents: readonly string[];
  readonly caseKey: string;
  readonly caseRevision: number | null;
  readonly run: string;
  readonly verdict: string;
  readonly performed: string;
  readonly reviewed: string;
  readonly code: readonly string[];
  readonly problems: readonly string[];
}

const matrixColumns = [
  'requirement',
  'revision',
  'title',
  'level',
  'parents',
  'case',
  'case revision',
  'run',
  'verdict',
  'performed by',
  'reviewed by',
  'code',
  'problems',
];
const matrixCells = (row: MatrixRow): (string | number | null)[] => [
  row.requirement,
  row.revision,
  row.title,
  row.level,
  row.parents.join(' '),
  row.caseKey,
  row.caseRevision,
  row.run,
  row.verdict,
  row.performed,
  row.reviewed,
  row.code.join(' '),
  row.problems.join(' '),
];

export function matrixCsv(rows: readonly MatrixRow[]): string {
  return writeCsv(matrixColumns, rows.map(matrixCells));
}

const escapeHtml = (text: string | number | null): string => String(text ?? '').replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);

/** The trace matrix as one HTML page that needs nothing else. */
export function matrixHtml(title: string, rows: readonly MatrixRow[]): string {
  const head = matrixColumns.map((column) => `<th scope="col">${escapeHtml(column)}</th>`).join('');
  const body = rows
    .map(
      (row) =>
        `<tr>${matrixCells(row)
          .map((cell) => `<td>${escapeHtml(cell)}</td>`)
          .join('')}</tr>`,
    )
    .join('\n');
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(title)}</title>
<style>body{font:14px/1.4 "Source Sans 3",sans-serif;margin:2rem;color:#18222e}table{border-collapse:collapse;width:100%}caption{text-align:left;font-size:1.4rem;margin-bottom:1rem}th,td{border:1px solid #e2ddd1;padding:.3rem .5rem;text-align:left;vertical-align:top}th{background:#f7f5ef;position:sticky;top:0}</style></head>
<body><table><caption>${escapeHtml(title)}</caption><thead><tr>${head}</tr></thead><tbody>
${body}
</tbody></table></body></html>
`;
}

/** Exercised and credited coverage, a row for each name (file, function, requirement, whole) and metric. */
export function coverageCsv(
  items: readonly { readonly scope: string; readonly name: string; readonly coverage: CoverageByMetric }[],
): string {
  return writeCsv(
    ['scope', 'name', 'metric', 'found', 'exercised', 'exercised %', 'credited', 'credited %'],
    items.flatMap(({ scope, name, coverage }) =>
      metrics.map((metric) => {
        const c = coverage[metric];
        return [
          scope,
          name,
          metricWords[metric],
          c.found,
          c.exercised,
          percent(ratioOf(c, 'exercised')),
          c.credited,
          percent(ratioOf(c, 'credited')),
        ];
      }),
    ),
  );
}

/** Every reason for which a knot is not sound, a row each. */
export function breaksCsv(cords: readonly Cord[]): string {
  return writeCsv(
    ['requirement', 'title', 'level', 'knot', 'state', 'reason', 'records'],
    cords.flatMap((cord) =>
      knots.flatMap((name) => {
        const { state, reasons } = cord.knots[name];
        if (state === 'sound' || state === 'notRequired') return [];
        return reasons.map((reason) => [
          cord.key,
          cord.title,
          cord.level,
          knotWords[name],
          stateWords[state],
          reasonWords(reason),
          reason.records.map((r) => r.key).join(' '),
        ]);
      }),
    ),
  );
}

/** How many requirements are in each state, for the summary's first page. */
export function stateCounts(cords: readonly Cord[]): {
  readonly proved: number;
  readonly broken: number;
  readonly suspect: number;
  readonly waiting: number;
} {
  const count = (state: string): number => cords.filter((cord) => cordState(cord) === state).length;
  return { proved: count('sound'), broken: count('broken'), suspect: count('suspect'), waiting: count('waiting') };
}

/** How to check a pack with `sha256sum` and `openssl` alone. */
export function verifyText(told: {
  readonly project: string;
  readonly build: string;
  readonly at: string;
  readonly seq: number;
  readonly entries: number;
  readonly head: string;
  readonly keyHash: string;
}): string {
  return `# How to check this proof pack

Proof pack of **${told.project}**, build **${told.build}**, made ${told.at} from ledger entry ${told.seq}.
Nothing of ours is needed: \`sha256sum\` and \`openssl\` (3.0 or later) do all of it. Unpack the archive and stand in its folder.

## 1. No file was changed, none is missing

    sha256sum --check --strict SHA256SUMS

Every line must end in \`OK\`. Files that SHA256SUMS does not name are not part of the pack, but for SHA256SUMS itself and its signature.

## 2. The list of hashes was signed by the key you know

    openssl pkeyutl -verify -pubin -inkey public-key.pem -rawin -in SHA256SUMS -sigfile SHA256SUMS.sig

must print \`Signature Verified Successfully\`. That proves little if the key was changed as well: compare the key with
the one the organisation gave you on another way. Its fingerprint is

    sha256sum public-key.pem
    ${told.keyHash}

## 3. Each run record is the one that was signed

\`runs/RUN-…/record.json\` is written so that its own SHA-256 is the hash to which the signatures are bound (canonical
JSON, RFC 8785). For any run compare

    sha256sum runs/RUN-001/record.json
    cat runs/RUN-001/signatures.json

The \`hash\` of each signature must be the sum printed. The record names the evidence files of the run with their own sums:
they lie in \`runs/RUN-…/evidence/\` and can be summed in the same way.

## 4. The ledger is one unbroken chain

Each line of \`ledger.jsonl\` is an entry in canonical JSON, with the hash of the line before it in \`previous\`. The chain has
${told.entries} entries; the SHA-256 of its last line is

    ${told.head}

    previous=${'0'.repeat(64)}
    while IFS= read -r line; do
      case "$line" in *"\\"previous\\":\\"$previous\\""*) ;; *) echo "does not fit: $line"; break ;; esac
      previous=$(printf %s "$line" | sha256sum | cut -d' ' -f1)
    done < ledger.jsonl
    echo "$previous"

It must print nothing but that last hash. (It starts one \`sha256sum\` an entry: some seconds for a thousand entries.)

## What is in here

| file | what it holds |
|---|---|
| \`summary.pdf\`, \`cords/cords.json\` | the cord of every requirement on this build, with each reason |
| \`trace/matrix.csv\`, \`trace/matrix.html\` | requirement, case, run, signature, code |
| \`requirements.json\`, \`cases.json\` | the texts and their revisions |
| \`runs/runs.pdf\`, \`runs/RUN-…/\` | run records with steps, evidence and signatures |
| \`coverage/coverage.json\`, \`coverage/coverage.csv\` | structural coverage, exercised and credited |
| \`breaks.csv\`, \`problems.json\` | what is open |
| \`ledger.jsonl\` | everything that was done, by whom and when |
`;
}
