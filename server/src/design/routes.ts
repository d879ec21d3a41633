import * as contract from '@contract/design';
import type { FastifyInstance } from 'fastify';
import { listPage, serve, serveExport, serveMeanwhile, type AppContext } from '../base';
import { addCase, approveCase, saveCase, setCaseState } from './cases';
import type { ReachOfCases } from './enough';
import { libraryRoutes } from './library-routes';
import { modelRoutes } from './model-routes';
import { caseList, caseSummaries, caseWithTraces } from './store';

/** The runs that a case is answered with: the run room knows them. */
export type RunsOfCase = (caseId: number, revision: number) => Promise<contract.CaseDetail['runs']>;

export function designRoutes(app: FastifyInstance, context: AppContext, runsOf: RunsOfCase, reachOf: ReachOfCases): void {
  const { db } = context.database;
  libraryRoutes(app, context, reachOf);
  modelRoutes(app, context);
  const detail = async (projectId: number, key: string): Promise<contract.CaseDetail> => {
    const { id, ...c } = await caseWithTraces(db, projectId, key);
    return { ...c, runs: await runsOf(id, c.revision) };
  };
  serveMeanwhile(app, context, contract.listCases, ({ membership: { projectId }, query, confirm }) =>
    listPage(db, projectId, caseList(projectId), query, caseSummaries, { beside: confirm }),
  );
  serveExport(app, context, 'cases', {
    kind: 'case',
    columns: [
      'key',
      'title',
      'state',
      'revision',
      'folder',
      'kind',
      'priority',
      'tags',
      'steps',
      'rows',
      'plannedMinutes',
      'verifies',
      'suspect',
      'updatedBy',
      'updatedAt',
    ],
    source: (projectId) => caseList(projectId),
    load: caseSummaries,
  });
  serve(app, context, contract.getCase, ({ membership, params }) => detail(membership.projectId, params.key));
  serve(app, context, contract.addCase, async ({ actor, membership, body }) =>
    detail(membership.projectId, await addCase(db, actor, body)),
  );
  serve(app, context, contract.saveCase, async ({ actor, membership, params, body }) => {
    await saveCase(db, actor, params.key, body.basedOn, body.content, body.reason);
    return detail(membership.projectId, params.key);
  });
  serve(app, context, contract.setCaseState, async ({ actor, membership, params, body }) => {
    await setCaseState(db, actor, params.key, body.basedOn, body.state);
    return detail(membership.projectId, params.key);
  });
  serve(app, context, contract.approveCase, async ({ actor, membership, params, body }) => {
    await approveCase(db, actor, membership.roles, params.key, body);
    return detail(membership.projectId, params.key);
  });
}
