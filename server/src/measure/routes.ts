import * as contract from '@contract/measure';
import { carryResults, getNeededAgain, listCarriedResults, offerResults, withdrawCarriedResults } from '@contract/run';
import { metrics } from '@core/measure';
import type { FastifyInstance } from 'fastify';
import {
  arrivedFiles,
  callerOf,
  dropIncoming,
  listPage,
  needBuild,
  Refusal,
  sendFile,
  serve,
  serveExport,
  uploads,
  type AppContext,
  type Upload,
} from '../base';
import { neededAgain } from './again';
import { attest, attestationList, attestationsById, withdrawAttestation } from './attest';
import { carryRuns, resultOffers, runCarriesById, runCarryList, withdrawCarriedRuns } from './carry-runs';
import { carriesById, carryList, carryMeasured, carryOffers, withdrawCarry } from './carry';
import { codeRows, diagnose, getCode, getFile, listCodeFiles, requirementCode, traceCode } from './code';
import { loadCoverage } from './load';
import { loadSources } from './load-sources';
import { traceOffers } from './hand-traces';
import { needUploadFile, uploadList, uploadsById, withdrawUpload } from './uploads';

export function measureRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serve(app, context, contract.loadCoverage, async ({ actor, params, query, request }) => {
    await needBuild(db, actor.projectId, params.build);
    const arrived = query.incoming?.split(',').filter(Boolean) ?? [];
    const files: Upload[] = await arrivedFiles(db, actor.projectId, actor.login, arrived);
    if (!arrived.length) for await (const file of uploads(request, { fileSize: 64 << 20, files: 2000, total: 256 << 20 })) files.push(file);
    const answer = await loadCoverage(db, actor, params.build, files, query, context.parse);
    if (query.preview !== 'yes') await dropIncoming(db, actor.projectId, actor.login, arrived);
    return answer;
  });
  serve(app, context, contract.loadSources, async ({ actor, params, request }) => {
    await needBuild(db, actor.projectId, params.build);
    for await (const file of uploads(request, { fileSize: 32 << 20, files: 1, total: 32 << 20 }))
      return loadSources(db, actor, params.build, file, {
        reason: file.fields?.['reason'],
        password: file.fields?.['password'],
        parse: context.parse,
      });
    throw new Refusal('invalid');
  });
  serve(app, context, contract.getCode, async ({ membership: { projectId }, params, query }) => {
    const build = await needBuild(db, projectId, params.build);
    return getCode(db, build, await context.projections.upTo(projectId, build.id, query.atLeast));
  });
  serve(app, context, contract.listCodeFiles, async ({ membership: { projectId }, params, query }) => {
    const build = await needBuild(db, projectId, params.build);
    return listCodeFiles(db, build, await context.projections.upTo(projectId, build.id, query.atLeast), query);
  });
  serveExport(app, context, 'code', {
    columns: ['key', 'measured', ...metrics.flatMap((name) => [`${name}.points`, `${name}.exercised`, `${name}.credited`])],
    held: async (projectId, { build, metric }, query) =>
      codeRows(db, await needBuild(db, projectId, build ?? ''), query, metrics.find((name) => name === metric) ?? 'line'),
  });
  serve(app, context, getNeededAgain, ({ membership, query }) => neededAgain(db, membership.projectId, query));
  serve(app, context, contract.getFile, async ({ membership: { projectId }, params, query }) =>
    getFile(db, projectId, await needBuild(db, projectId, params.build), query.path),
  );
  serve(app, context, contract.diagnose, async ({ membership: { projectId }, params, query }) =>
    diagnose(db, projectId, await needBuild(db, projectId, params.build), query.path, query.line),
  );
  serve(app, context, contract.traceCode, ({ actor, params, body }) => traceCode(db, actor, params.build, body));
  serve(app, context, contract.offerTraces, async ({ membership: { projectId }, params }) =>
    traceOffers(db, projectId, await needBuild(db, projectId, params.build)),
  );
  serve(app, context, contract.requirementCode, async ({ membership: { projectId }, params }) =>
    requirementCode(db, projectId, await needBuild(db, projectId, params.build), params.key),
  );
  serve(app, context, contract.attest, ({ actor, params, body }) => attest(db, actor, params.build, body));
  serve(app, context, contract.listAttestations, async ({ membership: { projectId }, params, query }) =>
    listPage(db, projectId, attestationList(projectId, (await needBuild(db, projectId, params.build)).id), query, attestationsById),
  );
  serve(app, context, contract.withdrawAttestation, ({ actor, params, body }) => withdrawAttestation(db, actor, params.key, body));
  serve(app, context, contract.offerCarries, async ({ membership: { projectId }, params }) =>
    carryOffers(db, await needBuild(db, projectId, params.build)),
  );
  serve(app, context, contract.carryMeasured, ({ actor, params, body }) => carryMeasured(db, actor, params.build, body));
  serve(app, context, contract.listCarries, async ({ membership: { projectId }, params, query }) =>
    listPage(db, projectId, carryList(projectId, (await needBuild(db, projectId, params.build)).id), query, carriesById),
  );
  serve(app, context, contract.withdrawCarry, ({ actor, params, body }) => withdrawCarry(db, actor, params.key, body));
  serve(app, context, offerResults, ({ membership, query }) => resultOffers(db, membership.projectId, query));
  serve(app, context, carryResults, ({ actor, body }) => carryRuns(db, actor, body));
  serve(app, context, listCarriedResults, async ({ membership: { projectId }, query }) =>
    listPage(db, projectId, runCarryList(projectId, (await needBuild(db, projectId, query.build)).id), query, runCarriesById),
  );
  serve(app, context, withdrawCarriedResults, ({ actor, params, body }) => withdrawCarriedRuns(db, actor, params.key, body));
  serve(app, context, contract.listUploads, async ({ membership: { projectId }, params, query }) =>
    listPage(db, projectId, uploadList(projectId, (await needBuild(db, projectId, params.build)).id), query, uploadsById),
  );
  serve(app, context, contract.withdrawUpload, ({ actor, params, body }) => withdrawUpload(db, actor, params.key, body));
  app.get<{ Params: { project: string; id: string } }>(
    '/api/projects/:project/upload-files/:id',
    { config: { may: 'member' }, schema: { summary: 'A file of an upload of coverage, as it came', tags: ['Measure'] } },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const file = await needUploadFile(db, membership.projectId, Number(request.params.id) || 0);
      return sendFile(db, reply, { ...file, mime: 'application/octet-stream' });
    },
  );
}
