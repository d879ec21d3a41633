import * as base from '@contract/base';
import * as contract from '@contract/prove';
import type { FastifyInstance } from 'fastify';
import { addJob, authorise, cancelJob, listJobs, needBuild, needJob, wholeBlob, Refusal, serve, type AppContext } from '../base';
import { getBoard, getCord } from './board';
import { verifyProject } from './integrity';
import { jumpTo, waitingFor } from './jump';

export function proveRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serve(app, context, contract.getBoard, ({ membership, query }) => getBoard(context, membership.projectId, query));
  serve(app, context, contract.getCord, ({ membership, params, query }) =>
    getCord(context, membership.projectId, query.build, params.key, query.atLeast),
  );
  serve(app, context, contract.listPacks, ({ membership, query }) => listJobs(db, membership.projectId, 'pack', query.build));
  serve(app, context, contract.makePack, async ({ actor, body }) => {
    await needBuild(db, actor.projectId, body.build);
    return addJob(db, actor, 'pack', body.build);
  });
  serve(app, context, contract.cancelPack, async ({ actor, params }) => {
    await cancelJob(db, actor, params.id);
    return { ok: true as const };
  });
  serve(app, context, base.verifyLedger, async ({ membership }) => {
    const { rowFaults, ...verdict } = await verifyProject(context, membership.projectId);
    return { ...verdict, rowFaults: [...rowFaults] };
  });
  serve(app, context, base.jump, ({ membership, query }) => jumpTo(db, membership.projectId, query.q, query.build));
  serve(app, context, base.listWaiting, ({ membership, person }) => waitingFor(db, membership.projectId, person.login, membership.roles));
  app.get<{ Params: { project: string; id: string } }>(
    '/api/projects/:project/packs/:id/file',
    { schema: { summary: 'A proof pack, as ZIP', tags: ['Prove'] } },
    async (request, reply) => {
      const { membership } = await authorise(context, 'member', request);
      const job = await needJob(db, membership.projectId, Number(request.params.id) || 0);
      if (!job.fileHash || job.state !== 'done') throw new Refusal('notFound', { detail: 'The pack is not made yet.' });
      return reply
        .type('application/zip')
        .header('content-disposition', `attachment; filename="${job.fileName}"`)
        .send(await wholeBlob(db, job.fileHash));
    },
  );
}
