import * as contract from '@contract/specify';
import { escapeHtml, wordDifference } from '@core/base';
import type { BaselineChange } from '@core/specify';
import type { FastifyInstance } from 'fastify';
import { Readable } from 'node:stream';
import { z } from 'zod';
import { asCsv, asXlsx, callerOf, listPage, serve, type AppContext } from '../base';
import {
  addBaseline,
  baselineDetail,
  baselineFile,
  baselineList,
  baselinesById,
  changesSince,
  comparison,
  readBaseline,
} from './baselines';
import { changesDocument } from './changes-document';
import { matrixLines, matrixOf } from './matrix';

const changeWords: Readonly<Record<BaselineChange['what'], string>> = {
  added: 'added',
  removed: 'removed',
  changed: 'changed',
  moved: 'moved',
  traceAdded: 'trace won',
  traceRemoved: 'trace lost',
};
const columns = ['key', 'title', 'change', 'field', 'revision before', 'revision after', 'before', 'after', 'difference'];

/** A line for each member that is different; in the last cell what was taken out stands in [- -], what came in in {+ +}. */
function* changeLines(changes: readonly BaselineChange[]): Generator<(string | number)[]> {
  for (const { key, title, what, revisions, differences } of changes)
    for (const { name, before, after } of differences.length ? differences : [{ name: '', before: '', after: '' }]) {
      const marked = wordDifference(before, after)
        .map(({ kind, text }) => (kind === 'added' ? `{+${text}+}` : kind === 'removed' ? `[-${text}-]` : text))
        .join('');
      yield [key, title, changeWords[what], name, revisions[0] ?? '', revisions[1] ?? '', before, after, marked];
    }
}

const exported = z.object({ with: z.string().max(60).default(''), format: z.enum(['csv', 'xlsx', 'docx']).default('csv') });

const matrixFile = contract.matrixQuery.extend({
  only: z.enum(['all', 'gaps', 'suspect', 'few']).default('all'),
  fewer: z.coerce.number().int().min(1).max(100).default(2),
  format: z.enum(['csv', 'xlsx', 'html']).default('csv'),
});

/** A table as a page that needs nothing else. */
const asPage = (title: string, [head, ...lines]: readonly (readonly string[])[]): string =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(title)}</title><style>body{font:13px "Source Sans 3",sans-serif;margin:2rem;color:#18222e}table{border-collapse:collapse}th,td{border:1px solid #e2ddd1;padding:.2rem .4rem;text-align:left}thead th{position:sticky;top:0;background:#f7f5ef}caption{text-align:left;font-size:1.3rem;margin-bottom:1rem}</style></head><body><table><caption>${escapeHtml(title)}</caption><thead><tr>${head.map((cell) => `<th scope="col">${escapeHtml(cell)}</th>`).join('')}</tr></thead><tbody>${lines.map(([key, ...cells]) => `<tr><th scope="row">${escapeHtml(key)}</th>${cells.map((cell) => `<td>${escapeHtml(cell)}</td>`).join('')}</tr>`).join('\n')}</tbody></table></body></html>`;

/** The matrix, and the same as a file. */
export function matrixRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serve(app, context, contract.getMatrix, ({ membership, query }) => matrixOf(db, membership.projectId, query));
  app.get<{ Params: { project: string }; Querystring: z.output<typeof matrixFile> }>(
    '/api/projects/:project/matrix/file',
    { config: { may: 'member' }, schema: { summary: 'The matrix as CSV, XLSX or HTML', tags: ['Specify'], querystring: matrixFile } },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const { only, fewer, format, ...question } = request.query;
      const lines = matrixLines(await matrixOf(db, membership.projectId, question), { only, fewer });
      const [head, ...rows] = lines;
      void reply.header('content-disposition', `attachment; filename="matrix-${membership.slug}.${format}"`);
      if (format === 'html') return reply.type('text/html; charset=utf-8').send(asPage(`Trace matrix · ${membership.slug}`, lines));
      const cells = (line: string[]): string[] => line;
      if (format === 'csv') return reply.type('text/csv; charset=utf-8').send(Readable.from(asCsv(head, rows, cells)));
      return reply.type('application/vnd.openxmlformats-officedocument.spreadsheetml.sheet').send(asXlsx('matrix', head, rows, cells));
    },
  );
}

export function baselineRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serve(app, context, contract.listBaselines, ({ membership: { projectId }, query }) =>
    listPage(db, projectId, baselineList(projectId), query, baselinesById),
  );
  serve(app, context, contract.addBaseline, ({ actor, body }) => addBaseline(db, actor, body));
  serve(app, context, contract.getBaseline, ({ membership, params }) => baselineDetail(db, membership.projectId, params.key));
  serve(app, context, contract.readBaseline, ({ membership, params, query }) =>
    readBaseline(db, membership.projectId, params.key, query, context.parse),
  );
  serve(app, context, contract.compareBaseline, ({ membership, params, query }) =>
    comparison(db, membership.projectId, params.key, query, context.parse),
  );
  app.get<{ Params: { project: string; key: string } }>(
    '/api/projects/:project/baselines/:key/file',
    {
      config: { may: 'member' },
      schema: { summary: 'The signed text of a baseline: canonical JSON, of which its hash is', tags: ['Specify'] },
    },
    async (request, reply) => {
      const { membership } = callerOf(request);
      return reply
        .type('application/json; charset=utf-8')
        .header('content-disposition', `attachment; filename="${request.params.key}.json"`)
        .send(await baselineFile(db, membership.projectId, request.params.key));
    },
  );
  app.get<{ Params: { project: string; key: string }; Querystring: z.output<typeof exported> }>(
    '/api/projects/:project/baselines/:key/comparison/file',
    {
      config: { may: 'member' },
      schema: {
        summary: 'The comparison with another baseline, or with now, as CSV, XLSX or a document with marks',
        tags: ['Specify'],
        querystring: exported,
      },
    },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const { key } = request.params;
      const { with: other, format } = request.query;
      const { changes, asOf } = await changesSince(db, membership.projectId, key, other, context.parse);
      const name = `${key}-${other || 'now'}`;
      void reply.header('content-disposition', `attachment; filename="${name}.${format}"`);
      const cells = (line: (string | number)[]): (string | number)[] => line;
      if (format === 'csv') return reply.type('text/csv; charset=utf-8').send(Readable.from(asCsv(columns, changeLines(changes), cells)));
      if (format === 'xlsx')
        return reply
          .type('application/vnd.openxmlformats-officedocument.spreadsheetml.sheet')
          .send(asXlsx('comparison', columns, changeLines(changes), cells));
      return reply.type('application/vnd.openxmlformats-officedocument.wordprocessingml.document').send(
        await changesDocument({
          title: `${key} compared with ${other || `ledger number ${asOf}`}`,
          changes,
          words: changeWords,
          at: context.now(),
        }),
      );
    },
  );
}
