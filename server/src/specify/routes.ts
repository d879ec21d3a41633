import * as base from '@contract/base';
import * as contract from '@contract/specify';
import { writeCsv } from '@core/base';
import type { FastifyInstance, FastifyReply } from 'fastify';
import { Readable } from 'node:stream';
import {
  addTrace,
  addTraces,
  callerOf,
  confirmTrace,
  confirmTraces,
  listPage,
  Refusal,
  removeTrace,
  removeTraces,
  sendTable,
  serve,
  serveExport,
  serveMeanwhile,
  uploads,
  type AppContext,
  type Tx,
} from '../base';
import * as z from 'zod';
import { documentFormats, requirementsDocument, type DocumentPart } from './document';
import { baselineRoutes } from './baseline-routes';
import { gapRoutes, matrixRoutes } from './trace-routes';
import { branchesOf } from './branches';
import { copyOut } from './copies';
import { exchangeOf } from './exchange';
import { exportReqif, exportReqifz, importableTable } from './exports';
import { importRequirements, previewImport } from './import';
import { importSentTable, previewSentTable } from './import-sent';
import {
  addRequirement,
  addSpecification,
  approveRequirement,
  listSpecifications,
  ownWorkAllowed,
  saveRequirement,
  setRequirementState,
} from './requirements';
import { addOutline } from './outline';
import { readSpecification } from './text';
import { readWorkbook } from './workbook';
import { addReview, answerReview, closeReview, reviewDetail, signReview } from './reviews';
import { reviewList, reviewsById } from './review-rows';
import { placeRequirement } from './place';
import { dismissFinding, endDismissal, reportWording, saveWording, wordingOf } from './wording';
import { proposals } from './propose';
import { listSuspects } from './suspects';
import { needSpecification, requirementDetail, requirementList, requirementsById } from './store';

const documentQuery = z.object({
  format: z.enum(documentFormats).default('docx'),
  traces: z.enum(['0', '1']).default('1'),
  history: z.enum(['0', '1']).default('0'),
});

const branchQuery = documentQuery.extend({ under: z.string().max(60).optional() });
const foundQuery = documentQuery.extend({ filter: z.string().max(60_000).optional(), sort: z.string().max(200).optional() });

export function specifyRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  const sendDocument = async (
    reply: FastifyReply,
    projectId: number,
    part: DocumentPart,
    { format, traces, history }: z.output<typeof documentQuery>,
  ): Promise<FastifyReply> => {
    const how = { format, traces: traces === '1', history: history === '1', at: context.now() };
    const { type, name, body } = await requirementsDocument(db, projectId, part, how);
    return reply.type(type).header('content-disposition', `attachment; filename="${name}"`).send(body);
  };
  serve(app, context, contract.listSpecifications, ({ membership }) => listSpecifications(db, membership.projectId));
  serve(app, context, contract.addSpecification, ({ actor, body }) => addSpecification(db, actor, body));
  serveMeanwhile(app, context, contract.listRequirements, async ({ membership: { projectId }, query, confirm }) => {
    const id = query.specification === undefined ? undefined : (await needSpecification(db, projectId, query.specification)).id;
    return listPage(db, projectId, requirementList(projectId, id), query, requirementsById, { beside: confirm });
  });
  serve(app, context, contract.listBranches, ({ membership: { projectId }, params, query }) =>
    branchesOf(db, projectId, params.key, query),
  );
  serve(app, context, contract.readSpecification, ({ membership, params, query }) =>
    readSpecification(db, membership.projectId, params.key, query),
  );
  serveExport(app, context, 'requirements', {
    kind: 'requirement',
    columns: [
      'key',
      'specification',
      'kind',
      'under',
      'title',
      'text',
      'rationale',
      'level',
      'method',
      'topLevel',
      'derived',
      'notInCode',
      'notInCodeRationale',
      'state',
      'revision',
      'updatedBy',
      'updatedAt',
    ],
    source: async (projectId, { specification }) =>
      requirementList(projectId, specification === undefined ? undefined : (await needSpecification(db, projectId, specification)).id),
    load: requirementsById,
  });
  serve(app, context, contract.getRequirement, ({ membership, params }) => requirementDetail(db, membership.projectId, params.key));
  serve(app, context, contract.addRequirement, ({ actor, body }) => addRequirement(db, actor, body));
  serve(app, context, contract.saveRequirement, ({ actor, params, body }) =>
    saveRequirement(db, actor, params.key, body.basedOn, body.content, body.reason),
  );
  serve(app, context, contract.placeRequirement, ({ actor, params, body }) =>
    placeRequirement(db, actor, params.key, body.under, body.before),
  );
  serve(app, context, contract.setRequirementState, ({ actor, params, body }) =>
    setRequirementState(db, actor, params.key, body.basedOn, body.state),
  );
  serve(app, context, contract.approveRequirement, ({ actor, membership, params, body }) =>
    approveRequirement(db, actor, membership.roles, params.key, body),
  );
  baselineRoutes(app, context);
  matrixRoutes(app, context);
  gapRoutes(app, context);
  serve(app, context, contract.listReviews, ({ membership: { projectId }, query }) =>
    listPage(db, projectId, reviewList(projectId), query, reviewsById),
  );
  serve(app, context, contract.addReview, ({ actor, body }) => addReview(db, actor, body));
  serve(app, context, contract.getReview, ({ membership, person, params }) =>
    reviewDetail(db, membership.projectId, params.key, person.login),
  );
  serve(app, context, contract.answerReview, ({ actor, params, body }) => answerReview(db, actor, params.key, body));
  serve(app, context, contract.signReview, ({ actor, params, body }) => signReview(db, actor, params.key, body.password));
  serve(app, context, contract.closeReview, ({ actor, params, body }) => closeReview(db, actor, params.key, body));
  serve(app, context, contract.getWording, ({ membership }) => wordingOf(db, membership.projectId));
  serve(app, context, contract.saveWording, ({ actor, body }) => saveWording(db, actor, body));
  serve(app, context, contract.reportWording, async ({ membership: { projectId }, params, query }) =>
    reportWording(db, projectId, (await needSpecification(db, projectId, params.key)).id, query, context.parse),
  );
  serve(app, context, contract.dismissFinding, ({ actor, params, body }) => dismissFinding(db, actor, params.key, body));
  serve(app, context, contract.endDismissal, async ({ actor, params }) => {
    await endDismissal(db, actor, params.key, params.id);
    return { ok: true as const };
  });
  const ownAllowed = (projectId: number) => (ids: readonly number[], tx: Tx) => ownWorkAllowed(tx, projectId, ids);
  serve(app, context, base.addTrace, ({ actor, body }) => addTrace(db, actor, body));
  serve(app, context, base.confirmTrace, ({ actor, params, body }) =>
    confirmTrace(db, actor, params.id, body, ownAllowed(actor.projectId)),
  );
  serve(app, context, base.addTraces, ({ actor, body }) => addTraces(db, actor, body));
  serve(app, context, base.confirmTraces, ({ actor, body }) => confirmTraces(db, actor, body, ownAllowed(actor.projectId)));
  serve(app, context, base.removeTraces, ({ actor, body }) => removeTraces(db, actor, body));
  serve(app, context, base.listSuspects, ({ membership, query }) => listSuspects(db, membership.projectId, query));
  serve(app, context, contract.listProposals, ({ membership, query }) => proposals(db, membership.projectId, query, context.parse));
  serve(app, context, base.removeTrace, ({ actor, params, query }) => removeTrace(db, actor, params.id, query.reason));
  serve(app, context, contract.addOutline, ({ actor, params, body }) => addOutline(db, actor, params.key, body));
  serve(app, context, contract.readWorkbook, async ({ request, query }) => {
    for await (const file of uploads(request, { fileSize: 20 << 20, files: 1, total: 20 << 20 }))
      return readWorkbook(file.bytes, query.sheet, context.parse);
    throw new Refusal('invalid', { detail: 'The upload holds no file.' });
  });
  serve(app, context, contract.copyOut, ({ actor, person, body }) => copyOut(db, actor, person.id, body));
  serve(app, context, contract.getExchange, ({ membership, params }) => exchangeOf(db, membership.projectId, params.key, context.parse));
  serve(app, context, contract.previewImport, ({ membership, body }) => previewImport(db, membership.projectId, body, context.parse));
  serve(app, context, contract.previewSentTable, ({ actor, body }) => previewSentTable(db, actor, body, context.parse));
  serve(app, context, contract.importSentTable, ({ actor, body }) => importSentTable(db, actor, body));
  serve(app, context, contract.importRequirements, ({ actor, body }) => importRequirements(db, actor, body, context.parse));
  for (const format of ['csv', 'xlsx'] as const)
    app.get<{ Params: { project: string }; Querystring: { specification?: string } }>(
      `/api/projects/:project/requirements.${format}`,
      {
        config: { may: 'member' },
        schema: { summary: `The requirements as ${format.toUpperCase()}, to be imported again`, tags: ['Specify'] },
      },
      async (request, reply) => {
        const { membership } = callerOf(request);
        const { columns, lines } = await importableTable(db, membership.projectId, request.query.specification);
        void reply.header('content-disposition', `attachment; filename="requirements-${membership.slug}.${format}"`);
        if (format === 'csv') return reply.type('text/csv; charset=utf-8').send(writeCsv(columns, lines));
        return sendTable(reply, format, { name: 'requirements', columns, rows: lines, cells: (line) => line });
      },
    );
  app.get<{ Params: { project: string; key: string }; Querystring: z.output<typeof branchQuery> }>(
    '/api/projects/:project/specifications/:key/document',
    {
      config: { may: 'member' },
      schema: { summary: 'A specification or a branch of it as DOCX, PDF, HTML or Markdown', tags: ['Specify'], querystring: branchQuery },
    },
    async (request, reply) => {
      const { under, ...how } = request.query;
      return sendDocument(reply, callerOf(request).membership.projectId, { specification: request.params.key, under }, how);
    },
  );
  app.get<{ Params: { project: string }; Querystring: z.output<typeof foundQuery> }>(
    '/api/projects/:project/requirements/document',
    {
      config: { may: 'member' },
      schema: {
        summary: 'The requirements that a filter finds as DOCX, PDF, HTML or Markdown',
        tags: ['Specify'],
        querystring: foundQuery,
      },
    },
    async (request, reply) => {
      const { filter, sort, ...how } = request.query;
      return sendDocument(reply, callerOf(request).membership.projectId, { filter, sort }, how);
    },
  );
  app.get<{ Params: { project: string; key: string } }>(
    '/api/projects/:project/specifications/:key/file.reqif',
    { config: { may: 'member' }, schema: { summary: 'A specification as ReqIF 1.2', tags: ['Specify'] } },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const { key } = request.params;
      return reply
        .type('application/xml; charset=utf-8')
        .header('content-disposition', `attachment; filename="${key}.reqif"`)
        .send(Readable.from(await exportReqif(db, membership.projectId, key)));
    },
  );
  app.get<{ Params: { project: string; key: string } }>(
    '/api/projects/:project/specifications/:key/file.reqifz',
    { config: { may: 'member' }, schema: { summary: 'A specification as ReqIF 1.2 in an archive, with its pictures', tags: ['Specify'] } },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const { key } = request.params;
      return reply
        .type('application/zip')
        .header('content-disposition', `attachment; filename="${key}.reqifz"`)
        .send(Buffer.from(await exportReqifz(db, membership.projectId, key)));
    },
  );
}
