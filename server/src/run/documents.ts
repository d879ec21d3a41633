import type { RunDetail } from '@contract/run';
import { counted } from '@core/base';
import { limitsOf } from '@core/design';
import { verdictWords } from '@core/run';
import { and, asc, eq, isNull } from 'drizzle-orm';
import type { Content } from 'pdfmake/interfaces';
import { legible, legiblePaper, needRecord, paperPage, printPdf, records, Refusal, wholeBlob, type Db } from '../base';
import { roundDetail } from './rounds';
import { runDetail } from './store';
import { runs } from './tables';

export const roundDocumentFormats = ['pdf', 'docx', 'sheets'] as const;
export type RoundDocumentFormat = (typeof roundDocumentFormats)[number];
const mostRuns = 500;
const second = '#5B6673';
const cord = '#0D5B66';

export interface PrintedFile {
  readonly type: string;
  readonly name: string;
  readonly body: Buffer;
}

const verdictOf = ({ verdict }: Pick<RunDetail, 'verdict'>): string => (verdict ? verdictWords[verdict] : 'not recorded');
const moment = (at: string | null): string => (at ? at.slice(0, 16).replace('T', ' ') : 'not yet');

/** What a record says before its steps, label by label. */
function facts(run: RunDetail): [string, string][] {
  return [
    ['Case', `${run.caseKey} revision ${run.caseRevision}${run.row === null ? '' : `, row ${run.row}`}`],
    ...(run.case.rows?.[0]
      ? [
          [
            'Values',
            Object.entries(run.case.rows[0].values)
              .map(([name, value]) => `${name} = ${value}`)
              .join(', '),
          ] as [string, string],
        ]
      : []),
    ['Verifies', run.verifies.map((v) => v.key).join(', ') || 'nothing'],
    ['Build', run.build],
    ['Configuration', [run.configuration, run.unit, run.tools].filter(Boolean).join(' · ')],
    ['Tester', run.performedBy ? `${run.performedBy.program} (${run.performedBy.tool} ${run.performedBy.version})` : run.testerName],
    ['Begun, finished', `${moment(run.startedAt)}, ${moment(run.finishedAt)}`],
    ['Verdict', verdictOf(run)],
    ...(run.conclusion ? [['Conclusion', run.conclusion] as [string, string]] : []),
    ...run.redlines.map((l): [string, string] => [
      `Redline, step ${l.step}`,
      `${l.what}, because: ${l.reason}${l.before ? ` Planned: ${l.before.action} -> ${l.before.expected}.` : ''}`,
    ]),
    ...(run.problems.length
      ? [['Problems', run.problems.map((p) => `${p.key} ${p.title} (${p.state})`).join('; ')] as [string, string]]
      : []),
    ...run.signatures.map((s): [string, string] => [
      s.meaning,
      `${s.printedName}, ${s.at.slice(0, 19).replace('T', ' ')}${s.matches ? '' : ': THE RECORD NO LONGER MATCHES THIS SIGNATURE'}`,
    ]),
    ['Hash', run.hash],
  ];
}

/** The steps of a record as lines of a table: number, action, expected, observed, verdict. */
function stepLines(run: RunDetail): string[][] {
  return run.case.steps.map((step, i) => {
    const result = run.steps[i];
    const readings = (step.readings ?? []).map(
      (reading, n) => `${reading.name} ${result.readings?.[n]?.value || '-'} ${reading.unit} of ${reading.limits}`,
    );
    const files = run.evidence.filter((file) => file.step === i + 1).map((file) => `${file.name} (SHA-256 ${file.sha256.slice(0, 16)})`);
    return [
      String(i + 1),
      [step.action, ...(step.data ? [`With ${step.data}`] : [])].join('\n'),
      step.expected,
      [result.observed, ...readings, ...files].filter(Boolean).join('\n'),
      result.verdict ?? 'open',
    ];
  });
}

/** The pictures of the steps that did not pass: a failure is looked at before it is read. */
async function failedPictures(db: Db, run: RunDetail): Promise<Content[]> {
  const failed = run.evidence.filter(
    ({ step, mime }) => (mime === 'image/png' || mime === 'image/jpeg') && run.steps[step - 1]?.verdict === 'fail',
  );
  const shown: Content[] = [];
  for (const { step, name, mime, sha256 } of failed.slice(0, 6))
    shown.push(
      { text: legible(`Step ${step}: ${name}`), style: 'small', margin: [0, 6, 0, 2] },
      { image: `data:${mime};base64,${(await wholeBlob(db, sha256)).toString('base64')}`, fit: [300, 200] },
    );
  return shown;
}

const head = ['', 'Action', 'Expected', 'Observed', 'Verdict'];

async function recordPaper(db: Db, run: RunDetail): Promise<Content[]> {
  return [
    { text: [{ text: `${run.key} `, color: cord }, legible(run.case.title)], fontSize: 14, bold: true, margin: [0, 0, 0, 4] },
    {
      table: { widths: [90, '*'], body: facts(run).map(([label, value]) => [{ text: label, color: second }, value]) },
      layout: 'noBorders',
      fontSize: 9,
    },
    {
      table: {
        headerRows: 1,
        widths: [18, '*', '*', '*', 46],
        body: [head.map((words) => ({ text: words, color: second })), ...stepLines(run)],
      },
      layout: 'lightHorizontalLines',
      fontSize: 9,
      margin: [0, 6, 0, 0],
    },
    ...(await failedPictures(db, run)),
  ];
}

/** A run's record, everything on paper. */
export async function runDocument(db: Db, projectId: number, key: string, at: Date): Promise<PrintedFile> {
  const run = await runDetail(db, projectId, key);
  const body = await printPdf({ ...paperPage(`${run.key}, ${run.case.title}`, at), content: legiblePaper(await recordPaper(db, run)) });
  return { type: 'application/pdf', name: `${run.key}.pdf`, body: Buffer.from(body) };
}

/** The results of a round as a whole, its runs one by one, or sheets on which they are written down by hand; `address` is that of the application. */
export async function roundDocument(
  db: Db,
  project: { readonly projectId: number; readonly slug: string },
  key: string,
  { format, at, address }: { readonly format: RoundDocumentFormat; readonly at: Date; readonly address: string },
): Promise<PrintedFile> {
  const { projectId, slug } = project;
  const record = await needRecord(db, projectId, 'round', key);
  const round = await roundDetail(db, projectId, key);
  const keys = (
    await db
      .select({ key: records.key })
      .from(runs)
      .innerJoin(records, eq(records.id, runs.id))
      .where(and(eq(runs.roundId, record.id), isNull(runs.withdrawnAt)))
      .orderBy(asc(runs.id))
      .limit(mostRuns + 1)
  ).map((row) => row.key);
  if (keys.length > mostRuns)
    throw new Refusal('tooLarge', { detail: `The round has more than ${mostRuns} runs: take them out as a table.` });
  const details: RunDetail[] = [];
  for (const item of round.items.filter(({ key: run }) => keys.includes(run))) details.push(await runDetail(db, projectId, item.key));
  const title = `${round.key}, ${round.title}`;
  if (format === 'docx')
    return {
      type: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
      name: `${round.key}.docx`,
      body: await roundDocx(title, round, details),
    };
  const content: Content[] = [];
  if (format === 'sheets') {
    const open = details.filter(({ finishedAt }) => finishedAt === null);
    open.forEach((run, i) => content.push(...sheet(run, `${address}/${slug}/run/bench/${run.key}`, i > 0)));
    if (!open.length) content.push({ text: 'Every run of this round is recorded.' });
  } else {
    content.push(
      { text: legible(title), fontSize: 20, bold: true },
      { text: legible(summaryOf(round)), color: second, margin: [0, 2, 0, 10] },
      {
        table: {
          headerRows: 1,
          widths: [52, 48, '*', 90, 70],
          body: [
            ['Run', 'Case', 'Title', 'Tester', 'Verdict'].map((words) => ({ text: words, color: second })),
            ...details.map((run) => [
              run.key,
              run.row === null ? run.caseKey : `${run.caseKey} ${run.row}`,
              run.case.title,
              run.testerName,
              verdictOf(run),
            ]),
          ],
        },
        layout: 'lightHorizontalLines',
        fontSize: 9,
      },
    );
    for (const run of details) {
      const [first, ...rest] = await recordPaper(db, run);
      content.push({ ...(first as object), pageBreak: 'before' } as Content, ...rest);
    }
  }
  const body = await printPdf({ ...paperPage(title, at), content: legiblePaper(content) });
  return { type: 'application/pdf', name: `${round.key}${format === 'sheets' ? '-sheets' : ''}.pdf`, body: Buffer.from(body) };
}

function summaryOf(round: {
  build: string;
  configuration: string;
  runs: number;
  recorded: number;
  failed: number;
  reviewed: number;
}): string {
  return `${round.build}, ${round.configuration}: ${round.recorded} of ${counted(round.runs, 'run')} recorded, ${round.failed} failed, ${round.reviewed} reviewed`;
}

/** A sheet on which a run is written down by hand; the code opens the run, where it is entered afterwards. */
function sheet(run: RunDetail, address: string, next: boolean): Content[] {
  const blank = '\n\n';
  return [
    {
      columns: [
        [
          { text: [{ text: `${run.key} `, color: cord }, legible(run.case.title)], fontSize: 14, bold: true },
          {
            text: legible(
              `${run.caseKey} revision ${run.caseRevision}${run.row === null ? '' : `, row ${run.row}`} · ${run.build} · ${run.configuration}`,
            ),
            style: 'small',
            margin: [0, 2, 0, 6],
          },
          ...(run.case.preconditions ? [{ text: legible(`Before: ${run.case.preconditions}`), fontSize: 9 }] : []),
        ],
        {
          width: 96,
          stack: [
            { qr: address, fit: 84 },
            { text: run.key, style: 'small' },
          ],
        },
      ],
      ...(next ? { pageBreak: 'before' as const } : {}),
    },
    {
      table: {
        headerRows: 1,
        widths: [18, '*', '*', '*', 52],
        body: [
          ['', 'Do this', 'Expect', 'Observed', 'Verdict'].map((words) => ({ text: words, color: second })),
          ...run.case.steps.map((step, i) => [
            String(i + 1),
            [step.action, ...(step.data ? [`With ${step.data}`] : [])].join('\n'),
            step.expected,
            (step.readings ?? []).map((r) => `${r.name}: ______ ${limitsOf(r) ? r.unit : ''} (${r.limits})`).join('\n') || blank,
            'P  F  D  B',
          ]),
        ],
      },
      fontSize: 9,
      margin: [0, 8, 0, 8],
    },
    { text: 'P passed, F failed, D with deviation, B blocked.', style: 'small' },
    {
      text: '\nConclusion: ______________________________________________________________________\n\nMinutes: ________   Name: ____________________________   Date: ________________',
      fontSize: 9,
    },
  ];
}

async function roundDocx(title: string, round: Parameters<typeof summaryOf>[0], details: readonly RunDetail[]): Promise<Buffer> {
  // Not read at each start: a node is to be back soon.
  const docx = await import('docx');
  const cell = (text: string, bold = false) =>
    new docx.TableCell({
      children: text.split('\n').map((line) => new docx.Paragraph({ children: [new docx.TextRun({ text: line, bold })] })),
    });
  const table = (lines: readonly (readonly string[])[], headed: boolean) =>
    new docx.Table({
      width: { size: 100, type: docx.WidthType.PERCENTAGE },
      rows: lines.map(
        (line, i) => new docx.TableRow({ tableHeader: headed && i === 0, children: line.map((text) => cell(text, headed && i === 0)) }),
      ),
    });
  const children = [
    new docx.Paragraph({ text: title, heading: docx.HeadingLevel.TITLE }),
    new docx.Paragraph(summaryOf(round)),
    table(
      [
        ['Run', 'Case', 'Title', 'Tester', 'Verdict'],
        ...details.map((run) => [run.key, run.caseKey, run.case.title, run.testerName, verdictOf(run)]),
      ],
      true,
    ),
    ...details.flatMap((run) => [
      new docx.Paragraph({ text: `${run.key} ${run.case.title}`, heading: docx.HeadingLevel.HEADING_1, pageBreakBefore: true }),
      table(facts(run), false),
      new docx.Paragraph(''),
      table([head, ...stepLines(run)], true),
    ]),
  ];
  return docx.Packer.toBuffer(new docx.Document({ title, creator: 'Cord Proof', sections: [{ children }] }));
}
