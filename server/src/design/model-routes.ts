import * as contract from '@contract/design';
import type { FastifyInstance } from 'fastify';
import { listPage, serve, serveExport, type AppContext } from '../base';
import { makeCasesOf, planCasesOf } from './made';
import { modelDetail, modelList, modelSummaries } from './model-store';
import { addModel, approveModel, saveModel, setModelState } from './models';

/** Flows, parameters, decision tables and state tables, and the cases that are made of them. */
export function modelRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serve(app, context, contract.listModels, ({ membership: { projectId }, query }) =>
    listPage(db, projectId, modelList(projectId), query, modelSummaries),
  );
  serveExport(app, context, 'models', {
    kind: 'flow',
    columns: ['key', 'kind', 'title', 'state', 'revision', 'size', 'requirements', 'cases', 'suspect', 'updatedBy', 'updatedAt'],
    source: (projectId) => modelList(projectId),
    load: modelSummaries,
  });
  serve(app, context, contract.getModel, ({ membership, params }) => modelDetail(db, membership.projectId, params.key));
  serve(app, context, contract.addModel, ({ actor, body }) => addModel(db, actor, body));
  serve(app, context, contract.saveModel, ({ actor, params, body }) => saveModel(db, actor, params.key, body));
  serve(app, context, contract.setModelState, ({ actor, params, body }) => setModelState(db, actor, params.key, body.basedOn, body.state));
  serve(app, context, contract.approveModel, ({ actor, membership, params, body }) =>
    approveModel(db, actor, membership.roles, params.key, body),
  );
  serve(app, context, contract.planCasesOf, ({ membership, params, body }) => planCasesOf(db, membership.projectId, params.key, body));
  serve(app, context, contract.makeCasesOf, ({ actor, params, body }) => makeCasesOf(db, actor, params.key, body));
}
