import * as contract from '@contract/run';
import { and, eq } from 'drizzle-orm';
import type { FastifyInstance } from 'fastify';
import {
  addBuild,
  callerOf,
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
import { addRound, previewRound } from './plan';
import { addProblem, problemList, problemsById, saveProblem } from './problems';
import { addEvidence, blockRun, finishRun, recordStep, removeEvidence, startRun } from './recording';
import { decideRun, reassignRun, signRun } from './signing';
import { roundDetail, roundList, roundsById } from './rounds';
import { runDetail, runList, runsById } from './store';
import { withdrawRound } from './withdraw-round';
import { evidence } from './tables';

const evidenceLimits = { fileSize: 25 << 20, files: 20, total: 100 << 20 };

export function runRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serve(app, context, contract.addBuild, ({ actor, body }) => addBuild(db, actor, body));
  serve(app, context, contract.listRounds, async ({ membership: { projectId }, query }) =>
    listPage(db, projectId, roundList(projectId, (await needBuild(db, projectId, query.build)).id), query, roundsById),
  );
  serve(app, context, contract.listRuns, async ({ membership: { projectId }, query }) => {
    const build = query.build === undefined ? undefined : await needBuild(db, projectId, query.build);
    return listPage(db, projectId, runList(projectId, build?.id), query, runsById);
  });
  serveExport(app, context, 'runs', {
    kind: 'run',
    columns: [
      'key',
      'round',
      'build',
      'caseKey',
      'caseTitle',
      'caseRevision',
      'row',
      'configuration',
      'testerName',
      'state',
      'verdict',
      'outdated',
      'carriedOver',
      'plannedMinutes',
      'seconds',
    ],
    source: async (projectId, { build }) =>
      runList(projectId, build === undefined ? undefined : (await needBuild(db, projectId, build)).id),
    load: runsById,
  });
  serve(app, context, contract.getRound, ({ membership, params }) => roundDetail(db, membership.projectId, params.key));
  serve(app, context, contract.previewRound, ({ membership, body }) => previewRound(db, membership.projectId, body));
  serve(app, context, contract.addRound, ({ actor, body }) => addRound(db, actor, body));
  serve(app, context, contract.getRun, ({ membership, params }) => runDetail(db, membership.projectId, params.key));
  serve(app, context, contract.startRun, ({ actor, params }) => startRun(db, actor, params.key));
  serve(app, context, contract.recordStep, ({ actor, params, body }) => recordStep(db, actor, params.key, params.step, body));
  serve(app, context, contract.finishRun, ({ actor, params, body }) => finishRun(db, actor, params.key, body.seconds));
  serve(app, context, contract.blockRun, ({ actor, params, body }) => blockRun(db, actor, params.key, body.on));
  serve(app, context, contract.addEvidence, async ({ actor, params, query, request }) => {
    const files: Upload[] = [];
    for await (const file of uploads(request, evidenceLimits)) files.push(file);
    return addEvidence(db, actor, params.key, params.step, files, query.reason);
  });
  serve(app, context, contract.removeEvidence, ({ actor, params, query }) =>
    removeEvidence(db, actor, params.key, params.id, query.reason),
  );
  serve(app, context, contract.signRun, ({ actor, membership, params, body }) => signRun(db, actor, membership.roles, params.key, body));
  serve(app, context, contract.decideRun, ({ actor, membership, params, body }) =>
    decideRun(db, actor, membership.roles, params.key, body),
  );
  serve(app, context, contract.withdrawRound, ({ actor, params, body }) => withdrawRound(db, actor, params.key, body));
  serve(app, context, contract.reassignRun, ({ actor, params, body }) => reassignRun(db, actor, params.key, body.tester, body.reason));
  serve(app, context, contract.listProblems, ({ membership: { projectId }, query }) =>
    listPage(db, projectId, problemList(projectId), query, problemsById),
  );
  serveExport(app, context, 'problems', {
    kind: 'problem',
    columns: [
      'key',
      'title',
      'description',
      'state',
      'blocking',
      'build',
      'fixedIn',
      'run',
      'step',
      'caseKey',
      'requirements',
      'raisedBy',
      'raisedAt',
      'closedReason',
    ],
    source: (projectId) => problemList(projectId),
    load: problemsById,
  });
  serve(app, context, contract.addProblem, ({ actor, body }) => addProblem(db, actor, body));
  serve(app, context, contract.saveProblem, ({ actor, params, body }) => saveProblem(db, actor, params.key, body));

  app.get<{ Params: { project: string; id: string } }>(
    '/api/projects/:project/evidence/:id',
    { config: { may: 'member' }, schema: { summary: 'An evidence file', tags: ['Run'] } },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const [file] = await db
        .select()
        .from(evidence)
        .where(and(eq(evidence.projectId, membership.projectId), eq(evidence.id, Number(request.params.id) || 0)));
      if (!file) throw new Refusal('notFound');
      return sendFile(db, reply, file);
    },
  );
}
