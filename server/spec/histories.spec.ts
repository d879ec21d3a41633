import { knots } from '@core/base';
import { eq } from 'drizzle-orm';
import { oracle, reasonLine } from '../../core/src/prove/oracle.testing';
import { builds, records } from '../src/base';
import { cords, Projector } from '../src/prove';
import { History } from './history-acts';
import { openProject, type Project } from './support';

/** How many small histories, and acts in each. More of them: `CORD_HISTORIES=500 npm test -- server`. */
const histories = Number(process.env['CORD_HISTORIES'] ?? 12);
const acts = 40;

describe('small histories', () => {
  let p: Project;
  const shapes = new Set<string>();
  const codes = new Set<string>();
  const done = new Set<string>();
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());

  for (let seed = 1; seed <= histories; seed++)
    it(`are judged as section 3 says, in every knot and every reason, by what was done (${seed})`, async () => {
      const history = new History(p, seed);
      await history.begin();
      const projector = new Projector(p.database.db, () => new Date());
      const ids = new Map(
        (await p.database.db.select({ id: builds.id, name: records.key }).from(builds).innerJoin(records, eq(records.id, builds.id))).map(
          ({ id, name }) => [name, id],
        ),
      );
      const acted: string[] = [];
      for (let i = 0; i < acts; i++) {
        const before = new Map(history.done);
        await history.act();
        acted.push(...[...history.done].filter(([name, n]) => n !== before.get(name)).map(([name]) => name));
        if (i % 4 !== 3) continue;
        for (const build of history.story.builds) {
          const id = ids.get(build) ?? 0;
          await projector.want(p.projectId, id);
          await projector.bring(p.projectId, id);
          const rows = new Map((await p.database.db.select().from(cords).where(eq(cords.buildId, id))).map((row) => [row.key, row]));
          const facts = history.story.facts(build);
          for (const { key } of history.story.requirements) {
            const expected = oracle(facts, key);
            const row = rows.get(key);
            const letters = { S: 'sound', W: 'waiting', B: 'broken', U: 'suspect', '-': 'notReached', N: 'notRequired' } as const;
            const found = Object.fromEntries(
              knots.map((knot, k) => [
                knot,
                {
                  state: letters[(row?.states[k] ?? '-') as keyof typeof letters],
                  because: [
                    ...new Set(
                      (row?.reasons[knot] ?? []).map((reason) =>
                        reasonLine(
                          reason.code,
                          reason.records.map((record) => record.key),
                        ),
                      ),
                    ),
                  ].sort(),
                },
              ]),
            );
            expect(found)
              .withContext(`${key} on ${build}, behind ${acted.slice(-8).join(', ')}`)
              .toEqual(expected as never);
            shapes.add(row?.states ?? '');
            for (const knot of knots) for (const line of expected[knot].because) codes.add(line.split(' ')[0]);
          }
        }
      }
      for (const name of history.done.keys()) done.add(name);
    });

  it('were histories: all kinds of act, cords of many shapes and reasons, proved ones among them', () => {
    expect(done.size).toBeGreaterThan(16);
    expect(shapes.size).toBeGreaterThan(14);
    expect(codes.size).toBeGreaterThan(18);
    // Some come far enough to be proved, where there are enough of them.
    if (histories >= 50) expect([...shapes].some((states) => /^[SN]+$/.test(states))).toBeTrue();
  });
});
