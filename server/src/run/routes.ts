import * as contract from '@contract/run';
import { comparisonHtml } from '@core/run';
import { and, eq } from 'drizzle-orm';
import type { FastifyInstance } from 'fastify';
import * as z from 'zod';
import {
  addBuild,
  callerOf,
  listPage,
  needBuild,
  Refusal,
  sendFile,
  sendTable,
  serve,
  serveExport,
  serveMeanwhile,
  uploads,
  type AppContext,
  type Upload,
} from '../base';
import { comparison, comparisonFile } from './comparison';
import { roundDocument, roundDocumentFormats, runDocument, type RoundDocumentFormat } from './documents';
import { addRound, previewRound, programsOf } from './plan';
import { addLargeRound } from './plan-large';
import { configurationPlan, saveConfigurationPlan } from './configurations';
import { problemFigures, problemLife, saveProblem, saveProblemLife } from './problem-life';
import { addResultRule, dismissResult, listResults, removeResultRule, resultDetail, rulesOf } from './result-lists';
import { matchResults, sendResults } from './results';
import { addToRound, closeRound, moveRun, placeRound, reopenRound, roundProgress, runNow } from './round-keeping';
import { addProblem, linkProblem, problemList, problemsById } from './problems';
import { addEvidence, handIn, removeEvidence } from './evidence';
import { requirementRuns } from './requirement-runs';
import { finishRun, recordStep, startRun } from './recording';
import { blockRun, correctClock, recordShort } from './recording-whole';
import { caseReadings } from './readings';
import { addRedline, answerRedlines, caseRedlines } from './redlines';
import { noteLook, signable, signMany } from './sign-many';
import { decideRun, reassignRun, signRun } from './signing';
import { trackerCalled } from './tracker-sync';
import { decideOutside, endOutside, hookFits, linkOutside, outsideOf, saveTracker, trackerOf } from './trackers';
import { roundDetail, roundList, roundsById } from './rounds';
import { runDetail, runList, runsById } from './store';
import { withdrawRound } from './withdraw-round';
import { evidence } from './tables';

const evidenceLimits = { fileSize: 25 << 20, files: 20, total: 100 << 20 };

export function runRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serve(app, context, contract.getTracker, ({ membership: { projectId, slug } }) => trackerOf(db, projectId, slug));
  serve(app, context, contract.saveTracker, async ({ actor, membership: { projectId, slug }, body }) => {
    await saveTracker(db, actor, body);
    return trackerOf(db, projectId, slug);
  });
  serve(app, context, contract.getOutside, ({ membership, params }) => outsideOf(db, membership.projectId, params.key));
  serve(app, context, contract.linkOutside, ({ actor, params, body }) => linkOutside(db, actor, params.key, body.theirId));
  serve(app, context, contract.endOutside, async ({ actor, params, body }) => {
    await endOutside(db, actor, params.key, body.reason);
    return { ok: true as const };
  });
  serve(app, context, contract.decideOutside, ({ actor, params, body }) => decideOutside(db, actor, params.key, body));
  serve(app, context, contract.trackerHook, async ({ params, body, request }) => {
    const said = (name: string): string => String(request.headers[name] ?? '');
    const call = { time: said('tracker-time'), signature: said('tracker-signature'), sequence: body.sequence };
    const projectId = await hookFits(db, params.project, context.now(), call);
    if (projectId === undefined) throw new Refusal('forbidden', { detail: 'That is not signed by the tracker of a project.' });
    trackerCalled(projectId);
    return { ok: true as const };
  });
  serve(app, context, contract.addBuild, ({ actor, body }) => addBuild(db, actor, body));
  serve(app, context, contract.listRounds, async ({ membership: { projectId }, query }) =>
    listPage(db, projectId, roundList(projectId, (await needBuild(db, projectId, query.build)).id), query, roundsById),
  );
  serveMeanwhile(app, context, contract.listRuns, async ({ membership: { projectId }, query, confirm }) => {
    const build = query.build === undefined ? undefined : await needBuild(db, projectId, query.build);
    return listPage(db, projectId, runList(projectId, build?.id), query, runsById, { beside: confirm });
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
  serve(app, context, contract.requirementRuns, ({ membership: { projectId }, params }) => requirementRuns(db, projectId, params));
  serve(app, context, contract.getRound, ({ membership, params }) => roundDetail(db, membership.projectId, params.key));
  serve(app, context, contract.previewRound, ({ membership, body }) => previewRound(db, membership.projectId, body));
  serve(app, context, contract.addRound, ({ actor, body }) => addRound(db, actor, body));
  serve(app, context, contract.addLargeRound, ({ actor, body }) => addLargeRound(db, actor, body));
  serve(app, context, contract.getConfigurations, ({ membership }) => configurationPlan(db, membership.projectId));
  serve(app, context, contract.saveConfigurations, ({ actor, body }) => saveConfigurationPlan(db, actor, body));
  serve(app, context, contract.placeRound, ({ actor, params, body }) => placeRound(db, actor, params.key, body));
  serve(app, context, contract.closeRound, ({ actor, params, body }) => closeRound(db, actor, params.key, body));
  serve(app, context, contract.reopenRound, ({ actor, params, query }) => reopenRound(db, actor, params.key, query.reason));
  serve(app, context, contract.addToRound, ({ actor, params, body }) => addToRound(db, actor, params.key, body));
  serve(app, context, contract.moveRun, async ({ actor, params, body }) => {
    await moveRun(db, actor, params.key, body);
    return { ok: true as const };
  });
  serve(app, context, contract.runNow, ({ actor, params, body }) => runNow(db, actor, params.key, body));
  serve(app, context, contract.getRoundProgress, ({ membership, params }) =>
    roundProgress(db, membership.projectId, params.key, context.now()),
  );
  serve(app, context, contract.sendResults, async ({ actor, query, request }) => {
    const files: Upload[] = [];
    for await (const file of uploads(request, evidenceLimits)) files.push(file);
    return sendResults(db, actor, query, files);
  });
  serve(app, context, contract.listResults, ({ membership, query }) => listResults(db, membership.projectId, query.build));
  serve(app, context, contract.getResults, ({ membership, params }) => resultDetail(db, membership.projectId, params.id));
  serve(app, context, contract.matchResults, ({ actor, params }) => matchResults(db, actor, params.id));
  serve(app, context, contract.dismissResult, ({ actor, params, body }) =>
    dismissResult(db, actor, { id: params.id, item: params.item, reason: body.reason }),
  );
  serve(app, context, contract.listRecordingPrograms, ({ membership }) => programsOf(db, membership.projectId));
  serve(app, context, contract.listResultRules, ({ membership }) => rulesOf(db, membership.projectId));
  serve(app, context, contract.addResultRule, ({ actor, body }) => addResultRule(db, actor, body));
  serve(app, context, contract.removeResultRule, async ({ actor, params }) => {
    await removeResultRule(db, actor, params.id);
    return { ok: true as const };
  });
  serve(app, context, contract.getCaseReadings, ({ membership, params }) => caseReadings(db, membership.projectId, params.key));
  serveMeanwhile(app, context, contract.getRun, ({ membership, params, confirm }) =>
    runDetail(db, membership.projectId, params.key, confirm),
  );
  serve(app, context, contract.startRun, ({ actor, params }) => startRun(db, actor, params.key));
  serveMeanwhile(app, context, contract.recordStep, ({ actor, params, body }) => recordStep(db, actor, params.key, params.step, body));
  serveMeanwhile(app, context, contract.finishRun, ({ actor, params, body }) =>
    finishRun(db, actor, params.key, body.seconds, body.conclusion),
  );
  serve(app, context, contract.recordShort, ({ actor, params, body }) => recordShort(db, actor, params.key, body));
  serve(app, context, contract.correctClock, ({ actor, params, body }) => correctClock(db, actor, params.key, body));
  serve(app, context, contract.addRedline, ({ actor, params, body }) => addRedline(db, actor, params.key, body));
  serve(app, context, contract.listRedlines, ({ membership, params }) => caseRedlines(db, membership.projectId, params.key));
  serve(app, context, contract.answerRedlines, ({ actor, params, body }) => answerRedlines(db, actor, params.key, body));
  serve(app, context, contract.lookAtRun, async ({ actor, params, body }) => {
    await noteLook(db, actor, params.key, body.hash);
    return { ok: true as const };
  });
  serve(app, context, contract.listSignable, ({ actor, membership }) => signable(db, membership.projectId, actor.login, membership.roles));
  serve(app, context, contract.signMany, ({ actor, membership, body }) => signMany(db, actor, membership.roles, body));
  serve(app, context, contract.blockRun, ({ actor, params, body }) => blockRun(db, actor, params.key, body.on));
  serve(app, context, contract.addEvidence, async ({ actor, params, query, request }) => {
    const files: Upload[] = [];
    for await (const file of uploads(request, evidenceLimits)) files.push(file);
    return addEvidence(db, actor, params.key, params.step, files, query);
  });
  serve(app, context, contract.handIn, ({ actor, params, body }) => handIn(db, actor, params.key, body));
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
      'stage',
      'severity',
      'priority',
      'area',
      'assigned',
      'due',
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
  serve(app, context, contract.getComparison, ({ membership, query }) => comparison(db, membership.projectId, query));
  app.get<{ Params: { project: string }; Querystring: z.output<typeof contract.comparisonFileQuery> }>(
    '/api/projects/:project/comparison/file',
    {
      config: { may: 'member' },
      schema: {
        summary: 'Results beside each other as they are shown, as CSV, XLSX or HTML',
        tags: ['Run'],
        querystring: contract.comparisonFileQuery,
      },
    },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const { format, from, to, columns, by, only, words, ...asked } = request.query;
      const places = columns.split(',').flatMap((place) => (/^\d{1,2}$/.test(place) ? Number(place) : []));
      const question = { by, only, between: [from, to] as const, words };
      const file = await comparisonFile(db, membership.projectId, asked, { question, columns: places });
      void reply.header('content-disposition', `attachment; filename="results-${membership.slug}.${format}"`);
      if (format === 'html')
        return reply
          .type('text/html; charset=utf-8')
          .send(comparisonHtml(`Results beside each other: ${membership.slug}`, file.columns, file.groups));
      return sendTable(reply, format, { name: 'results', columns: file.head, rows: file.lines, cells: (line) => line });
    },
  );
  serve(app, context, contract.getProblemLife, ({ membership }) => problemLife(db, membership.projectId));
  serve(app, context, contract.saveProblemLife, ({ actor, body }) => saveProblemLife(db, actor, body));
  serve(app, context, contract.saveProblem, ({ actor, membership, params, body }) =>
    saveProblem(db, actor, membership.roles, params.key, body),
  );
  serve(app, context, contract.getProblemFigures, ({ membership }) => problemFigures(db, membership.projectId));
  serve(app, context, contract.linkProblem, ({ actor, params, body }) => linkProblem(db, actor, params.key, body.run));
  serve(app, context, contract.addProblem, ({ actor, body }) => addProblem(db, actor, body));

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

  app.get<{ Params: { project: string; key: string } }>(
    '/api/projects/:project/runs/:key/document',
    { config: { may: 'member' }, schema: { summary: 'A run’s record as PDF', tags: ['Run'] } },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const file = await runDocument(db, membership.projectId, request.params.key, context.now());
      return reply.type(file.type).header('content-disposition', `attachment; filename="${file.name}"`).send(file.body);
    },
  );
  app.get<{ Params: { project: string; key: string }; Querystring: { format: RoundDocumentFormat } }>(
    '/api/projects/:project/rounds/:key/document',
    {
      config: { may: 'member' },
      schema: {
        summary: 'The results of a round as PDF or DOCX, or sheets on which its runs are written down by hand',
        tags: ['Run'],
        querystring: z.object({ format: z.enum(roundDocumentFormats) }),
      },
    },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const how = { format: request.query.format, at: context.now(), address: `${request.protocol}://${request.host}` };
      const file = await roundDocument(db, membership, request.params.key, how);
      return reply.type(file.type).header('content-disposition', `attachment; filename="${file.name}"`).send(file.body);
    },
  );
}
