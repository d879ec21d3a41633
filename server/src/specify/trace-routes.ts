import * as contract from '@contract/specify';
import { escapeHtml } from '@core/base';
import type { FastifyInstance } from 'fastify';
import * as z from 'zod';
import { callerOf, sendTable, serve, type AppContext } from '../base';
import { allGaps, endException, grantException, listGaps, tryTraceRules } from './gaps';
import { saveTraceRules, traceRulesOf } from './trace-rules';
import { matrixLines, matrixOf } from './matrix';

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
      return sendTable(reply, format, { name: 'matrix', columns: head, rows, cells: (line) => line });
    },
  );
}

const gapFile = contract.gapQuery.extend({ format: z.enum(['csv', 'xlsx']).default('csv') });
const gapColumns = ['rule', 'key', 'title', 'other', 'what', 'exception', 'granted by', 'granted at'];

/** What lacks and what contradicts, and the exceptions from it. */
export function gapRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serve(app, context, contract.listGaps, ({ membership, query }) => listGaps(db, membership.projectId, query, context.parse));
  const rulesOf = async (projectId: number) => {
    const kept = await traceRulesOf(db, projectId);
    return { ...kept, found: await tryTraceRules(db, projectId, kept.rules, context.parse) };
  };
  serve(app, context, contract.getTraceRules, ({ membership }) => rulesOf(membership.projectId));
  serve(app, context, contract.tryTraceRules, async ({ membership, body }) => ({
    found: await tryTraceRules(db, membership.projectId, body.rules, context.parse),
  }));
  serve(app, context, contract.saveTraceRules, async ({ actor, body }) => {
    await saveTraceRules(db, actor, body.rules);
    return rulesOf(actor.projectId);
  });
  serve(app, context, contract.grantException, async ({ actor, body }) => {
    await grantException(db, actor, body, context.parse);
    return { ok: true as const };
  });
  serve(app, context, contract.endException, async ({ actor, params, query }) => {
    await endException(db, actor, params.id, query.reason);
    return { ok: true as const };
  });
  app.get<{ Params: { project: string }; Querystring: z.output<typeof gapFile> }>(
    '/api/projects/:project/gaps/file',
    { config: { may: 'member' }, schema: { summary: 'Gaps and contradictions as CSV or XLSX', tags: ['Specify'], querystring: gapFile } },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const { format, ...question } = request.query;
      const rows = await allGaps(db, membership.projectId, question, context.parse);
      void reply.header('content-disposition', `attachment; filename="gaps-${membership.slug}.${format}"`);
      return sendTable(reply, format, {
        name: 'gaps',
        columns: gapColumns,
        rows,
        cells: ({ name, key, title, other, words, exception: e }) => [
          name,
          key,
          title,
          other,
          words,
          e?.reason ?? '',
          e?.by ?? '',
          e?.at ?? '',
        ],
      });
    },
  );
}
