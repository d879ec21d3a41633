import * as designContract from '@contract/design';
import * as contract from '@contract/run';
import { runOutdated } from '@core/prove';
import { and, desc, eq } from 'drizzle-orm';
import type { FastifyInstance } from 'fastify';
import { authorise, Refusal, serve, uploads, wholeBlob, type House, type Upload } from '../base';
import { addCase, caseWithTraces, listCases, needCase, saveCase, setCaseState } from '../design';
import { recordHistory } from '../specify';
import { addBuild, addRound } from './plan';
import { addProblem, listProblems, saveProblem } from './problems';
import { addEvidence, finishRun, recordStep, removeEvidence, startRun } from './recording';
import { decideRun, signRun } from './signing';
import { listRounds, roundDetail, runDetail } from './store';
import { evidence, runs } from './tables';

const evidenceLimits = { fileSize: 25 << 20, files: 20, total: 100 << 20 };
/** Kinds that a browser may show in place; everything else is only ever downloaded. */
const shownInline = new Set(['image/png', 'image/jpeg', 'image/gif', 'image/webp', 'text/plain']);

export function runRoutes(app: FastifyInstance, house: House): void {
  const { db } = house.database;
  serve(app, house, contract.addBuild, ({ actor, body }) => addBuild(db, actor, body));
  serve(app, house, contract.listRounds, ({ membership, query }) => listRounds(db, membership.projectId, query.build));
  serve(app, house, contract.getRound, ({ membership, params }) => roundDetail(db, membership.projectId, params.key));
  serve(app, house, contract.addRound, ({ actor, body }) => addRound(db, actor, body));
  serve(app, house, contract.getRun, ({ membership, params }) => runDetail(db, membership.projectId, params.key));
  serve(app, house, contract.startRun, ({ actor, params }) => startRun(db, actor, params.key));
  serve(app, house, contract.recordStep, ({ actor, params, body }) => recordStep(db, actor, params.key, params.step, body));
  serve(app, house, contract.finishRun, ({ actor, params, body }) => finishRun(db, actor, params.key, body.seconds));
  serve(app, house, contract.addEvidence, async ({ actor, params, request }) => {
    const files: Upload[] = [];
    for await (const file of uploads(request, evidenceLimits)) files.push(file);
    return addEvidence(db, actor, params.key, params.step, files);
  });
  serve(app, house, contract.removeEvidence, ({ actor, params }) => removeEvidence(db, actor, params.key, params.id));
  serve(app, house, contract.signRun, ({ actor, membership, params, body }) => signRun(db, actor, membership.roles, params.key, body));
  serve(app, house, contract.decideRun, ({ actor, params, body }) => decideRun(db, actor, params.key, body));
  serve(app, house, contract.listProblems, ({ membership }) => listProblems(db, membership.projectId));
  serve(app, house, contract.addProblem, ({ actor, body }) => addProblem(db, actor, body));
  serve(app, house, contract.saveProblem, ({ actor, params, body }) => saveProblem(db, actor, params.key, body));

  app.get<{ Params: { project: string; id: string } }>(
    '/api/projects/:project/evidence/:id',
    { schema: { summary: 'An evidence file', tags: ['Run'] } },
    async (request, reply) => {
      const { membership } = await authorise(house, 'member', request);
      const [file] = await db
        .select()
        .from(evidence)
        .where(and(eq(evidence.projectId, membership.projectId), eq(evidence.id, Number(request.params.id) || 0)));
      if (!file) throw new Refusal('notFound');
      const inline = shownInline.has(file.mime);
      reply.type(inline ? (file.mime === 'text/plain' ? 'text/plain; charset=utf-8' : file.mime) : 'application/octet-stream');
      reply
        .header('content-disposition', `${inline ? 'inline' : 'attachment'}; filename*=UTF-8''${encodeURIComponent(file.name)}`)
        .header('content-length', file.bytes);
      return reply.send(await wholeBlob(db, file.sha256));
    },
  );
  caseRoutes(app, house);
}

/** Cases are answered with their runs, so their routes stand where both are known. */
function caseRoutes(app: FastifyInstance, house: House): void {
  const { db } = house.database;
  const detail = async (projectId: number, key: string): Promise<designContract.CaseDetail> => {
    const c = await caseWithTraces(db, projectId, key);
    const rows = await db
      .select()
      .from(runs)
      .where(and(eq(runs.projectId, projectId), eq(runs.caseKey, key)))
      .orderBy(desc(runs.id))
      .limit(200);
    return {
      ...c,
      runs: rows.map((run) => ({
        key: run.key,
        build: run.build,
        verdict: run.verdict,
        caseRevision: run.caseRevision,
        superseded: run.supersededBy !== null,
        outdated: run.verdict !== null && run.supersededBy === null && runOutdated(run, c.revision),
      })),
    };
  };
  serve(app, house, designContract.listCases, ({ membership }) => listCases(db, membership.projectId));
  serve(app, house, designContract.getCase, ({ membership, params }) => detail(membership.projectId, params.key));
  serve(app, house, designContract.caseHistory, async ({ membership, params }) =>
    recordHistory(db, 'case', (await needCase(db, membership.projectId, params.key)).id),
  );
  serve(app, house, designContract.addCase, async ({ actor, membership, body }) =>
    detail(membership.projectId, await addCase(db, actor, body)),
  );
  serve(app, house, designContract.saveCase, async ({ actor, membership, params, body }) => {
    await saveCase(db, actor, params.key, body.basedOn, body.content);
    return detail(membership.projectId, params.key);
  });
  serve(app, house, designContract.setCaseState, async ({ actor, membership, params, body }) => {
    await setCaseState(db, actor, membership.roles, params.key, body.basedOn, body.state);
    return detail(membership.projectId, params.key);
  });
}
