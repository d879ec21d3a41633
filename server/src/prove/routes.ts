import * as base from '@contract/base';
import * as contract from '@contract/prove';
import type { FastifyInstance } from 'fastify';
import {
  addJob,
  blobStream,
  callerOf,
  listJobs,
  listPage,
  needBuild,
  needJob,
  Refusal,
  serve,
  serveExport,
  serveMeanwhile,
  type AppContext,
  type Db,
  type Tx,
  type Ids,
} from '../base';
import { needSpecification, requirementList } from '../specify';
import { threadCells, threadColumns } from '@core/specify';
import { cordsExport, getBoard, getCord, listCords } from './board';
import { connectionsOf } from './connections';
import { requirementImpact } from './impact';
import { verifyProject } from './integrity';
import { listPackKeys } from './pack-key';
import { jumpTo } from './jump';
import { checkHeads } from './signed-heads';
import { newsOf, setNews } from './news';
import { threadsById } from './threads';
import { waitingFor } from './waiting';

const threadNames = ['key', 'title', 'level', 'state', ...threadColumns];

export function proveRoutes(app: FastifyInstance, context: AppContext): void {
  const { db } = context.database;
  serveMeanwhile(app, context, contract.getBoard, async ({ membership, query, confirm }) => {
    const [board] = await Promise.all([getBoard(context, membership.projectId, query), confirm()]);
    return board;
  });
  serve(app, context, contract.previewProfile, async ({ actor, body }) => {
    const build = await needBuild(db, actor.projectId, body.build);
    return { build: build.name, ...(await context.projections.preview(actor.projectId, build.id, body.profile)) };
  });
  serveMeanwhile(app, context, contract.listCords, ({ membership, query, confirm }) =>
    listCords(context, membership.projectId, { ...query, confirm }),
  );
  serveExport(app, context, 'cords', cordsExport(context));
  serve(app, context, contract.getCord, ({ membership, params, query }) => getCord(context, membership.projectId, params.key, query));
  serve(app, context, contract.listPacks, ({ membership, query }) => listJobs(db, membership.projectId, 'pack', query.build));
  serve(app, context, contract.listPackKeys, async () =>
    (await listPackKeys(db)).map(({ id, fingerprint, madeAt }) => ({ id, fingerprint, madeAt })),
  );
  serve(app, context, contract.makePack, async ({ actor, body }) => {
    await needBuild(db, actor.projectId, body.build);
    return addJob(db, actor, 'pack', body.build);
  });
  serve(app, context, base.verifyLedger, async ({ membership }) => {
    const { rowFaults, ...verdict } = await verifyProject(context, membership.projectId);
    return { ...verdict, rowFaults: [...rowFaults], signedHeads: await checkHeads(db, membership.projectId) };
  });
  serve(app, context, base.jump, ({ membership, query }) => jumpTo(db, membership.projectId, query.q, query.build));
  serve(app, context, base.listWaiting, ({ membership, person }) => waitingFor(db, membership.projectId, person.login, membership.roles));
  serve(app, context, contract.listConnections, ({ membership, params, query }) =>
    connectionsOf(db, membership.projectId, params.key, query),
  );
  serve(app, context, contract.getImpact, ({ membership, params, query }) =>
    requirementImpact(db, membership.projectId, params.key, query.build),
  );
  const threadsOf = async (
    projectId: number,
    { specification, build }: { specification?: string | undefined; build?: string | undefined },
  ) => {
    const of = specification === undefined ? undefined : (await needSpecification(db, projectId, specification)).id;
    const buildId = build === undefined ? undefined : (await needBuild(db, projectId, build)).id;
    return { source: requirementList(projectId, of), load: (tx: Db | Tx, ids: Ids) => threadsById(tx, ids, buildId) };
  };
  serve(app, context, contract.listThreads, async ({ membership: { projectId }, query }) => {
    const { source, load } = await threadsOf(projectId, query);
    return listPage(db, projectId, source, query, load);
  });
  serveExport(app, context, 'threads', {
    kind: 'requirement',
    columns: threadNames,
    source: async (projectId, asked) => (await threadsOf(projectId, asked)).source,
    load: async (from, ids, { projectId, build }) => {
      const buildId = build === undefined ? undefined : (await needBuild(from, projectId, build)).id;
      return (await threadsById(from, ids, buildId)).map((thread) => {
        const cells = threadCells(thread);
        return { id: thread.id, ...Object.fromEntries(threadNames.map((name, i) => [name, cells[i]])) };
      });
    },
  });
  serve(app, context, base.listNews, ({ membership, person, query }) => newsOf(db, membership.projectId, person, query));
  serve(app, context, base.setNews, ({ membership, person, body }) => setNews(db, membership.projectId, person, body));
  app.get<{ Params: { project: string; id: string } }>(
    '/api/projects/:project/packs/:id/file',
    { config: { may: 'member' }, schema: { summary: 'A proof pack, as ZIP', tags: ['Prove'] } },
    async (request, reply) => {
      const { membership } = callerOf(request);
      const job = await needJob(db, membership.projectId, Number(request.params.id) || 0);
      if (!job.fileHash || job.state !== 'done') throw new Refusal('notFound', { detail: 'The pack is not made yet.' });
      return reply
        .type('application/zip')
        .header('content-disposition', `attachment; filename="${job.fileName}"`)
        .send(await blobStream(db, job.fileHash));
    },
  );
}
