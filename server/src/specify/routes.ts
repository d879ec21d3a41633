import * as contract from '@contract/specify';
import { and, eq } from 'drizzle-orm';
import type { FastifyInstance } from 'fastify';
import { addTrace, authorise, confirmTrace, removeTrace, serve, type House } from '../base';
import { exportRequirements, importRequirements } from './import';
import {
  addRequirement,
  addSpecification,
  listSpecifications,
  placeRequirement,
  saveRequirement,
  setRequirementState,
} from './requirements';
import { asRequirement, needRequirement, recordHistory, requirementDetail } from './store';
import { requirements } from './tables';

export function specifyRoutes(app: FastifyInstance, house: House): void {
  const { db } = house.database;
  serve(app, house, contract.listSpecifications, ({ membership }) => listSpecifications(db, membership.projectId));
  serve(app, house, contract.addSpecification, ({ actor, body }) => addSpecification(db, actor, body));
  serve(app, house, contract.listRequirements, async ({ membership, query }) => {
    const where = and(
      eq(requirements.projectId, membership.projectId),
      ...(query.specification ? [eq(requirements.specification, query.specification)] : []),
    );
    return (await db.select().from(requirements).where(where)).map(asRequirement);
  });
  serve(app, house, contract.getRequirement, ({ membership, params }) => requirementDetail(db, membership.projectId, params.key));
  serve(app, house, contract.requirementHistory, async ({ membership, params }) =>
    recordHistory(db, 'requirement', (await needRequirement(db, membership.projectId, params.key)).id),
  );
  serve(app, house, contract.addRequirement, ({ actor, body }) => addRequirement(db, actor, body));
  serve(app, house, contract.saveRequirement, ({ actor, params, body }) =>
    saveRequirement(db, actor, params.key, body.basedOn, body.content),
  );
  serve(app, house, contract.placeRequirement, ({ actor, params, body }) =>
    placeRequirement(db, actor, params.key, body.under, body.before),
  );
  serve(app, house, contract.setRequirementState, ({ actor, membership, params, body }) =>
    setRequirementState(db, actor, membership.roles, params.key, body.basedOn, body.state),
  );
  serve(app, house, contract.addTrace, ({ actor, body }) => addTrace(db, actor, body));
  serve(app, house, contract.confirmTrace, ({ actor, params, body }) => confirmTrace(db, actor, params.id, body));
  serve(app, house, contract.removeTrace, ({ actor, params }) => removeTrace(db, actor, params.id));
  serve(app, house, contract.importRequirements, ({ actor, body }) => importRequirements(db, actor, body));
  app.get<{ Params: { project: string }; Querystring: { specification?: string } }>(
    '/api/projects/:project/requirements.csv',
    { schema: { summary: 'The requirements as CSV', tags: ['Specify'] } },
    async (request, reply) => {
      const { membership } = await authorise(house, 'member', request);
      const csv = await exportRequirements(db, membership.projectId, request.query.specification);
      return reply
        .type('text/csv; charset=utf-8')
        .header('content-disposition', `attachment; filename="requirements-${membership.slug}.csv"`)
        .send(csv);
    },
  );
}
