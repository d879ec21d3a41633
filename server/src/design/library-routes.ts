import * as contract from '@contract/design';
import { caseFileSchema } from '@core/design';
import type { FastifyInstance } from 'fastify';
import type * as z from 'zod';
import { callerOf, listPage, serve, serveExport, type AppContext } from '../base';
import { casesDocument } from './documents';
import { dismissCaseFinding, endCaseDismissal } from './case-wording';
import { copyCases } from './copies';
import { makeDrafts, planDrafts } from './drafts';
import { boundariesOf } from './boundaries';
import { selectCases, sufficiency, type ReachOfCases } from './enough';
import { addFolder, fileCases, listFolders, removeFolder, saveFolder } from './folders';
import { addGroup, groupDetail, groupList, groupSummaries, saveGroup } from './groups';
import { importCases, previewCases } from './import';
import { listCaseKinds, saveCaseKind } from './kinds';
import { caseUses, takeCalled } from './uses';

/** Folders, kinds and groups of cases, where they come from and whether they suffice. */
export function libraryRoutes(app: FastifyInstance, context: AppContext, reachOf: ReachOfCases): void {
  const { db } = context.database;
  serve(app, context, contract.listFolders, ({ membership }) => listFolders(db, membership.projectId));
  serve(app, context, contract.addFolder, ({ actor, body }) => addFolder(db, actor, body));
  serve(app, context, contract.saveFolder, ({ actor, params, body }) => saveFolder(db, actor, params.key, body));
  serve(app, context, contract.removeFolder, async ({ actor, params }) => {
    await removeFolder(db, actor, params.key);
    return { ok: true as const };
  });
  serve(app, context, contract.fileCases, async ({ actor, body }) => ({ moved: await fileCases(db, actor, body.cases, body.folder) }));

  serve(app, context, contract.listCaseKinds, ({ membership }) => listCaseKinds(db, membership.projectId));
  serve(app, context, contract.saveCaseKind, ({ actor, params, body }) => saveCaseKind(db, actor, { name: params.name, ...body }));

  serve(app, context, contract.listGroups, ({ membership: { projectId }, query }) =>
    listPage(db, projectId, groupList(projectId), query, groupSummaries),
  );
  serveExport(app, context, 'groups', {
    kind: 'group',
    columns: ['key', 'title', 'purpose', 'state', 'cases', 'minutes', 'requirements', 'revision', 'updatedBy', 'updatedAt'],
    source: (projectId) => groupList(projectId),
    load: groupSummaries,
  });
  serve(app, context, contract.getGroup, ({ membership, params }) => groupDetail(db, membership.projectId, params.key));
  serve(app, context, contract.addGroup, ({ actor, body }) => addGroup(db, actor, body));
  serve(app, context, contract.saveGroup, ({ actor, params, body }) => saveGroup(db, actor, params.key, body));

  serve(app, context, contract.copyCases, ({ actor, person, body }) => copyCases(db, actor, person.id, body));
  serve(app, context, contract.getCaseUses, ({ membership, params }) => caseUses(db, membership.projectId, params.key));
  serve(app, context, contract.takeCalled, ({ actor, params, body }) => takeCalled(db, actor, params.key, body));
  serve(app, context, contract.dismissCaseFinding, async ({ actor, params, body }) => {
    await dismissCaseFinding(db, actor, params.key, body);
    return { ok: true as const };
  });
  serve(app, context, contract.endCaseDismissal, async ({ actor, params }) => {
    await endCaseDismissal(db, actor, params.key, params.id);
    return { ok: true as const };
  });

  serve(app, context, contract.planDrafts, ({ membership, body }) => planDrafts(db, membership.projectId, body, context.parse));
  serve(app, context, contract.makeDrafts, ({ actor, body }) => makeDrafts(db, actor, body, context.parse));
  serve(app, context, contract.previewCaseImport, ({ membership, body }) => previewCases(db, membership.projectId, body, context.parse));
  serve(app, context, contract.importCases, ({ actor, body }) => importCases(db, actor, body, context.parse));

  serve(app, context, contract.getSufficiency, ({ membership, query }) =>
    sufficiency(db, membership.projectId, query, reachOf, context.parse),
  );
  serve(app, context, contract.getBoundaries, async ({ membership, params }) => ({
    points: await boundariesOf(db, membership.projectId, params.key),
  }));
  serve(app, context, contract.selectCases, ({ membership, body }) => selectCases(db, membership.projectId, body, reachOf, context.parse));

  app.get<{ Params: { project: string }; Querystring: z.output<typeof contract.caseDocumentQuery> }>(
    '/api/projects/:project/cases/document',
    {
      config: { may: 'member' },
      schema: {
        summary: 'Cases, a folder of them or what a filter finds as DOCX, PDF, HTML or JSON, with or without traces',
        tags: ['Design'],
        querystring: contract.caseDocumentQuery,
      },
    },
    async (request, reply) => {
      const { format, cases, folder, filter, traces } = request.query;
      const part = { cases: cases?.split(',').filter(Boolean), folder, filter };
      const how = { format, traces: traces === 'with', at: context.now() };
      const { type, name, body } = await casesDocument(db, callerOf(request).membership.projectId, part, how);
      return reply.type(type).header('content-disposition', `attachment; filename="${name}"`).send(body);
    },
  );
  app.get(
    '/api/case-file-schema.json',
    { config: { may: 'anyone' }, schema: { summary: 'The schema of a file of cases', tags: ['Design'] } },
    async (_, reply) => reply.type('application/schema+json').send(JSON.stringify(caseFileSchema)),
  );
}
