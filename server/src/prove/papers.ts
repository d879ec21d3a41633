import { knots } from '@core/base';
import { drawCord, knotWords, leftWords, stateCountWords, stateWords, type CordDrawing, type KnotState } from '@core/prove';
import { verdictWords } from '@core/run';
import type { Content, TableCell, TDocumentDefinitions } from 'pdfmake/interfaces';
import { legiblePaper, printPdf } from '../base';
import type { PaperHead, RequirementsPaper, RunsPaper, SummaryPaper } from './paper';

const ink = '#18222E';
const second = '#5B6673';
const hairline = '#E2DDD1';
const roleColours: Record<KnotState, string> = {
  sound: '#0D5B66',
  notRequired: '#0D5B66',
  waiting: '#A06A12',
  broken: '#AE3226',
  suspect: '#5E4B8B',
  notReached: '#B9B3A4',
};

/** The same drawing as on the screen, as SVG for paper. */
function cordSvg(drawing: CordDrawing): string {
  const shapes = drawing.shapes.map(({ role, what, path }) => {
    const colour = roleColours[role];
    const filled = what === 'disc' || what === 'diamond' || what === 'half' || what === 'dot';
    const dash =
      what === 'dotted' ? ' stroke-dasharray="0.1 6" stroke-linecap="round"' : what === 'dashed' ? ' stroke-dasharray="7 4"' : '';
    const width = what === 'hairline' ? 1.2 : what === 'ring' ? 2.4 : what === 'fray' ? 1.8 : 3.2;
    return filled
      ? `<path d="${path}" fill="${colour}"/>`
      : `<path d="${path}" fill="${what === 'ring' ? '#ffffff' : 'none'}" stroke="${colour}" stroke-width="${width}"${dash}/>`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${drawing.width}" height="${drawing.height}" viewBox="0 0 ${drawing.width} ${drawing.height}">${shapes.join('')}</svg>`;
}

const layout = {
  hLineWidth: (i: number, node: { table: { headerRows?: number; body: unknown[] } }) =>
    i === (node.table.headerRows ?? 0) ? 0.8 : i === 0 || i === node.table.body.length ? 0.5 : 0.4,
  vLineWidth: () => 0,
  hLineColor: (i: number, node: { table: { headerRows?: number } }) => (i === (node.table.headerRows ?? 0) ? ink : hairline),
  paddingTop: () => 4,
  paddingBottom: () => 4,
};

const heading = (text: string): TableCell => ({ text, style: 'th' });

function frame(head: PaperHead, title: string, content: Content[]): TDocumentDefinitions {
  const day = `${head.at.slice(0, 10)} ${head.at.slice(11, 16)} UTC`;
  return {
    info: { title: `${title}, ${head.project} ${head.build}`, creator: 'Cord Proof', creationDate: new Date(head.at) },
    pageSize: 'A4',
    pageMargins: [56, 72, 56, 64],
    defaultStyle: { font: 'Serif', fontSize: 9.5, lineHeight: 1.2, color: ink },
    styles: {
      h1: { fontSize: 16, bold: true, margin: [0, 0, 0, 8] },
      h2: { fontSize: 12, bold: true, margin: [0, 12, 0, 4] },
      th: { font: 'Sans', fontSize: 8, color: second },
      small: { font: 'Sans', fontSize: 8, color: second },
      hash: { font: 'Code', fontSize: 7 },
    },
    header: (page: number) =>
      page === 1
        ? null
        : {
            margin: [56, 32, 56, 0],
            columns: [
              { text: `${head.project} · build ${head.build}`, style: 'small' },
              { text: title, style: 'small', alignment: 'right' },
            ],
          },
    footer: (page: number, pages: number) =>
      page === 1
        ? null
        : {
            margin: [56, 20, 56, 0],
            columns: [
              { text: `${head.number} issue 1 · ${head.pack} · ${day}`, style: 'small' },
              { text: `Page ${page} of ${pages}`, style: 'small', alignment: 'right' },
            ],
          },
    content: [
      { text: head.project, margin: [0, 150, 0, 6], fontSize: 13, color: second },
      { text: title, fontSize: 28, bold: true, margin: [0, 0, 0, 18] },
      { canvas: [{ type: 'line', x1: 0, y1: 0, x2: 120, y2: 0, lineWidth: 3, lineColor: roleColours.sound }], margin: [0, 0, 0, 18] },
      {
        layout: 'noBorders',
        table: {
          widths: [110, '*'],
          body: [
            ['Build', { text: head.build, bold: true }],
            ['Standard', head.standard],
            ['Made', day],
            ['From ledger entry', String(head.seq)],
            ['Document', `${head.number}, issue 1 of ${day.slice(0, 10)}`],
            ['Pack', head.pack],
            ['Signed with the key', { text: head.fingerprint, style: 'hash' }],
          ],
        },
      },
      {
        text: 'This document is one part of a proof pack. VERIFY.md in the pack says how to check it with sha256sum and openssl.',
        style: 'small',
        margin: [0, 240, 0, 0],
        pageBreak: 'after',
      },
      ...content,
    ],
  };
}

function summaryDefinition(paper: SummaryPaper): TDocumentDefinitions {
  const { counts, totals, cords, left } = paper;
  return frame(paper.head, 'Cord summary', [
    { text: 'The build at a glance', style: 'h1' },
    {
      text: `${counts.proved} of ${paper.of} requirements are proved on this build; ${counts.broken} are broken, ${counts.suspect} suspect and ${counts.waiting} waiting.`,
      margin: [0, 0, 0, 10],
    },
    ...(left
      ? [
          {
            text: `${leftWords(left)}: ${left.keys.join(', ')}${left.count > left.keys.length ? ' …' : ''}`,
            margin: [0, 0, 0, 10] as [number, number, number, number],
          },
        ]
      : []),
    {
      layout,
      table: {
        headerRows: 1,
        widths: [70, '*', '*'],
        body: [
          [heading('Knot'), heading('Requirements by state'), heading('What is missing')],
          ...knots.map((k): TableCell[] => [knotWords[k], stateCountWords(totals[k]), totals[k].missing || 'nothing']),
        ],
      },
    },
    { text: 'Structural coverage', style: 'h2' },
    {
      layout,
      table: {
        headerRows: 1,
        widths: ['*', 75, 75, 75, 75, 75, 75].slice(0, 1 + (paper.coverage[0]?.cells.length ?? 0)),
        body: [
          ['File', 'Statements run', 'credited', 'Branches run', 'credited'].map(heading),
          ...paper.coverage.map((row): TableCell[] => [row.name, ...row.cells]),
        ],
      },
    },
    { text: paper.note, style: 'small', margin: [0, 6, 0, 0] },
    { text: 'How a cord is read', style: 'h2' },
    {
      layout: 'noBorders',
      table: {
        widths: [60, 140, '*'],
        body: (['sound', 'waiting', 'broken', 'suspect', 'notReached', 'notRequired'] as const).map((state): TableCell[] => [
          { svg: cordSvg(firstTwo(state)), width: 44 },
          stateWords[state],
          { text: legend[state], style: 'small' },
        ]),
      },
    },
    { text: 'Every requirement', style: 'h1', pageBreak: 'before' },
    requirementsTable(cords, ({ states }) => ({ svg: cordSvg(drawCord(states, 34, 6)), width: 92 })),
  ]);
}

/** Requirements that the summary had no room for. Their cords are told in words: thousands of drawings take a minute. */
const requirementsDefinition = ({ head, cords }: RequirementsPaper): TDocumentDefinitions =>
  frame(head, 'Cord summary', [
    { text: 'Further requirements', style: 'h1' },
    { text: `Of each cord the states of its knots: ${knots.map((k) => knotWords[k]).join(', ')}.`, margin: [0, 0, 0, 8] },
    requirementsTable(cords, ({ states }) => ({ text: knots.map((k) => stateWords[states[k]].toLowerCase()).join(' · '), style: 'small' })),
  ]);

const requirementsTable = (cords: SummaryPaper['cords'], drawn: (cord: SummaryPaper['cords'][number]) => TableCell): Content => ({
  layout,
  table: {
    headerRows: 1,
    dontBreakRows: true,
    widths: [52, 150, 36, 96, '*'],
    body: [
      [heading('Key'), heading('Requirement'), heading('Level'), heading('Cord'), heading('First break')],
      ...cords.map((cord): TableCell[] => [
        { text: cord.key, bold: true },
        cord.title,
        { text: cord.level, style: 'small' },
        drawn(cord),
        { text: cord.words, style: 'small', color: ink },
      ]),
    ],
  },
});

const legend: Record<KnotState, string> = {
  sound: 'filled round knot on a line',
  waiting: 'ring on a dotted line: work to do, nothing wrong',
  broken: 'diamond after a parted line',
  suspect: 'half-filled knot on a dashed line: something it rests on changed',
  notReached: 'small dot on a hairline: an earlier knot stops the judgement',
  notRequired: 'small ring on the line',
};

/** A knot and the line before it, for the legend. */
function firstTwo(state: KnotState): CordDrawing {
  const whole = drawCord({ specify: 'notReached', design: state, run: 'notReached', measure: 'notReached', prove: 'notReached' }, 34, 6);
  return {
    width: 54,
    height: whole.height,
    shapes: whole.shapes.filter(
      (shape) => Number(/^M(-?[\d.]+)/.exec(shape.path)?.[1]) < 50 && (shape.what !== 'dot' || state === 'notReached'),
    ),
  };
}

const clock = (seconds: number): string => `${Math.floor(seconds / 60)} min ${seconds % 60} s`;
const moment = (at: string | null): string => (at ? `${at.slice(0, 10)} ${at.slice(11, 19)} UTC` : 'not recorded');

function runsDefinition(paper: RunsPaper): TDocumentDefinitions {
  return frame(paper.head, 'Run records', [
    { text: 'Runs', style: 'h1' },
    {
      layout,
      table: {
        headerRows: 1,
        dontBreakRows: true,
        widths: [60, 50, '*', 110],
        body: [
          ['Run', 'Case', 'Title', 'Verdict'].map(heading),
          ...paper.runs.map(({ record }): TableCell[] => [
            record.key,
            record.caseKey,
            record.case.title,
            record.verdict ? verdictWords[record.verdict] : 'not recorded',
          ]),
        ],
      },
    },
    ...paper.runs.flatMap(({ record, hash, signatures, problems, notes }): Content[] => [
      { text: `${record.key} · ${record.case.title}`, style: 'h1', pageBreak: 'before' },
      {
        layout: 'noBorders',
        table: {
          widths: [90, '*'],
          body: [
            ['Verdict', { text: record.verdict ? verdictWords[record.verdict] : 'Not recorded', bold: true }],
            ['Case', `${record.caseKey} revision ${record.caseRevision}`],
            ['Build', record.build],
            ['Configuration', record.configuration],
            ['Unit under test', record.unit || 'not given'],
            ['Tools', record.tools || 'not given'],
            ['Tester', record.tester],
            ['Begun, finished', `${moment(record.startedAt)}, ${moment(record.finishedAt)}`],
            ['Time', `${clock(record.seconds)} of ${record.case.plannedMinutes} min planned`],
            ...(problems.length ? [['Problem reports', problems.join(', ')]] : []),
            ...notes.map((note) => ['Decision', note]),
          ],
        },
      },
      { text: 'Objective', style: 'h2' },
      record.case.objective || 'Not given.',
      { text: 'Preconditions', style: 'h2' },
      record.case.preconditions || 'None.',
      { text: 'Steps', style: 'h2' },
      {
        layout,
        table: {
          headerRows: 1,
          dontBreakRows: true,
          widths: [18, '*', '*', '*', 52],
          body: [
            ['', 'Action', 'Expected', 'Observed', 'Verdict'].map(heading),
            ...record.case.steps.map((step, i): TableCell[] => [
              String(i + 1),
              step.action,
              step.expected,
              record.steps[i]?.observed || '–',
              record.steps[i]?.verdict ?? 'open',
            ]),
          ],
        },
      },
      ...(record.evidence.length
        ? [
            { text: 'Evidence', style: 'h2' },
            {
              layout,
              table: {
                headerRows: 1,
                widths: [30, '*', 50],
                body: [
                  ['Step', 'File and SHA-256', 'Bytes'].map(heading),
                  ...record.evidence.map((e): TableCell[] => [
                    String(e.step),
                    { stack: [e.name, { text: e.sha256, style: 'hash' }] },
                    String(e.bytes),
                  ]),
                ],
              },
            },
          ]
        : []),
      {
        unbreakable: true,
        stack: [
          { text: 'Signatures', style: 'h2' },
          signatures.length
            ? {
                layout,
                table: {
                  headerRows: 1,
                  dontBreakRows: true,
                  widths: [70, 120, '*'],
                  body: [
                    ['Meaning', 'Printed name', 'Date and time, hash of the record'].map(heading),
                    ...signatures.map((s): TableCell[] => [
                      s.meaning,
                      s.printedName,
                      { stack: [moment(s.at), { text: s.hash, style: 'hash' }, ...(s.reason ? [{ text: s.reason, style: 'small' }] : [])] },
                    ]),
                  ],
                },
              }
            : 'Not signed.',
          {
            text: [
              { text: 'Hash of this record ', style: 'small' },
              { text: hash, style: 'hash' },
            ],
            margin: [0, 8, 0, 0],
          },
        ],
      },
    ]),
  ]);
}

type Paper = SummaryPaper | RequirementsPaper | RunsPaper;

function definitionOf(paper: Paper): TDocumentDefinitions {
  switch (paper.kind) {
    case 'summary':
      return summaryDefinition(paper);
    case 'requirements':
      return requirementsDefinition(paper);
    case 'runs':
      return runsDefinition(paper);
  }
}

/** Sets a paper: embedded fonts, selectable text, page numbers. */
export default async function setPaper(given: Paper): Promise<Uint8Array> {
  const paper = legiblePaper(given);
  return printPdf(definitionOf(paper));
}
