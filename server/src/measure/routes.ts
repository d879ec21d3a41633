import * as contract from '@contract/measure';
import type { FastifyInstance } from 'fastify';
import { needBuild, Refusal, serve, uploads, type House, type Upload } from '../base';
import { diagnose, getCode, getFile, requirementCode, traceCode } from './code';
import { loadCoverage, loadSources } from './load';

export function measureRoutes(app: FastifyInstance, house: House): void {
  const { db } = house.database;
  serve(app, house, contract.loadCoverage, async ({ actor, params, query, request }) => {
    await needBuild(db, actor.projectId, params.build);
    const files: Upload[] = [];
    for await (const file of uploads(request, { fileSize: 64 << 20, files: 2000, total: 256 << 20 })) files.push(file);
    return loadCoverage(db, actor, params.build, files, query);
  });
  serve(app, house, contract.loadSources, async ({ actor, params, request }) => {
    await needBuild(db, actor.projectId, params.build);
    for await (const file of uploads(request, { fileSize: 32 << 20, files: 1, total: 32 << 20 }))
      return loadSources(db, actor, params.build, file);
    throw new Refusal('invalid');
  });
  serve(app, house, contract.getCode, ({ membership, params }) => getCode(db, membership.projectId, params.build));
  serve(app, house, contract.getFile, ({ membership, params, query }) => getFile(db, membership.projectId, params.build, query.path));
  serve(app, house, contract.diagnose, ({ membership, params, query }) =>
    diagnose(db, membership.projectId, params.build, query.path, query.line),
  );
  serve(app, house, contract.traceCode, ({ actor, params, body }) => traceCode(db, actor, params.build, body));
  serve(app, house, contract.requirementCode, ({ membership, params }) =>
    requirementCode(db, membership.projectId, params.build, params.key),
  );
}
