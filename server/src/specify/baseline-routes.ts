import * as contract from '@contract/specify';
import { wordDifference } from '@core/base';
import type { BaselineChange } from '@core/specify';
import type { FastifyInstance, FastifyReply } from 'fastify';
import * as z from 'zod';
import { callerOf, listPage, sendTable, serve, type AppContext } from '../base';
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
import { baselineDocument, baselineLines } from './baseline-document';
import { changesDocument, changesPdf } from './changes-document';

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

const asItWas = z.object({
  words: z.string().max(200).default(''),
  format: z.enum(['csv', 'xlsx', 'docx', 'pdf', 'html', 'md']).default('docx'),
});
const exported = z.object({ with: z.string().max(60).default(''), format: z.enum(['csv', 'xlsx', 'docx', 'pdf']).default('csv') });

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
  app.get<{ Params: { project: string; key: string }; Querystring: z.output<typeof asItWas> }>(
    '/api/projects/:project/baselines/:key/document',
    {
      config: { may: 'member' },
      schema: {
        summary: 'What stood in a baseline, all or what words find, as DOCX, PDF, HTML, Markdown, CSV or XLSX; it names the baseline',
        tags: ['Specify'],
        querystring: asItWas,
      },
    },
    async (request, reply) => {
      const { projectId } = callerOf(request).membership;
      const { key } = request.params;
      const { words, format } = request.query;
      const named = (name: string): FastifyReply => reply.header('content-disposition', `attachment; filename="${name}"`);
      if (format === 'csv' || format === 'xlsx') {
        const { columns: headings, lines } = await baselineLines(db, projectId, key, words, context.parse);
        return sendTable(named(`${key}.${format}`), format, { name: key, columns: headings, rows: lines, cells: (line) => [...line] });
      }
      const how = { format, traces: true, history: false, at: context.now() };
      const { type, name, body } = await baselineDocument(db, projectId, key, words, how, context.parse);
      return named(name).type(type).send(body);
    },
  );
  app.get<{ Params: { project: string; key: string }; Querystring: z.output<typeof exported> }>(
    '/api/projects/:project/baselines/:key/comparison/file',
    {
      config: { may: 'member' },
      schema: {
        summary: 'The comparison with another baseline, or with now, as CSV, XLSX, or a document with marks (DOCX, PDF)',
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
      if (format === 'csv' || format === 'xlsx')
        return sendTable(reply, format, { name: 'comparison', columns, rows: changeLines(changes), cells: (line) => line });
      const title = `${key} compared with ${other || `ledger number ${asOf}`}`;
      const document = { title, changes, words: changeWords, at: context.now() };
      if (format === 'pdf') return reply.type('application/pdf').send(Buffer.from(await changesPdf(document)));
      return reply.type('application/vnd.openxmlformats-officedocument.wordprocessingml.document').send(await changesDocument(document));
    },
  );
}
