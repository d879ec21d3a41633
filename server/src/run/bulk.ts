import { eq } from 'drizzle-orm';
import { bulkKind, needBuild, noSuchAct } from '../base';
import { scheduleIn } from './round-keeping';
import { decideIn, reassignIn } from './signing';
import { runList, selectRuns } from './store';
import { runs } from './tables';

bulkKind({
  kind: 'run',
  list: async (tx, projectId, { build }) =>
    runList(projectId, build === undefined ? undefined : (await needBuild(tx, projectId, build)).id),
  act: async (w, record, act, { reason, signer }) => {
    const [stored] = await selectRuns(w.tx, eq(runs.id, record.id));
    switch (act.act) {
      case 'reassign':
        await reassignIn(w, stored, act.tester, reason);
        return { words: `${stored.run.tester} → ${act.tester}`, undo: { act: 'reassign', tester: stored.run.tester } };
      case 'set':
        return scheduleIn(w, stored, act.values);
      case 'withdraw':
      case 'bringBack':
        await decideIn(w, stored, { choice: act.act, reason }, signer);
        return { words: act.act === 'withdraw' ? `${record.state} → withdrawn` : 'withdrawn → recorded', undo: null };
      default:
        throw noSuchAct('run', act);
    }
  },
});
