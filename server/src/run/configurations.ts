import type { ConfigurationPlan } from '@core/run';
import { configurationFindings, noConfigurations } from '@core/run';
import { eq } from 'drizzle-orm';
import { projectKey, Refusal, write, type Actor, type Db, type Tx } from '../base';
import { configurationRows } from './rows';
import { configurationPlans } from './tables';

/** In what a project's product is configured. */
export async function configurationPlan(db: Db | Tx, projectId: number): Promise<ConfigurationPlan> {
  const [row] = await db
    .select({ dimensions: configurationPlans.dimensions, exclusions: configurationPlans.exclusions })
    .from(configurationPlans)
    .where(eq(configurationPlans.projectId, projectId));
  return row ?? noConfigurations;
}

export async function saveConfigurationPlan(db: Db, actor: Actor, plan: ConfigurationPlan): Promise<ConfigurationPlan> {
  const faults = configurationFindings(plan);
  if (faults.length)
    throw new Refusal('invalid', {
      detail: faults.map(({ place, text }) => `${place}: ${text}`).join(' '),
      fields: faults.map(({ place, text }) => ({
        path: place.startsWith('line') ? 'exclusions' : 'dimensions',
        text: `${place}: ${text}`,
      })),
    });
  await write(db, actor, async (w) => {
    const before = await configurationPlan(w.tx, actor.projectId);
    const { dimensions, exclusions } = plan;
    await w.tx
      .insert(configurationPlans)
      .values({ projectId: actor.projectId, dimensions, exclusions })
      .onDuplicateKeyUpdate({ set: { dimensions, exclusions } });
    w.log({ action: 'configurations set', kind: 'project', key: projectKey, before, after: { dimensions, exclusions } });
    w.wrote(configurationRows, actor.projectId);
  });
  return plan;
}
