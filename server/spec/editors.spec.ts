import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { content, openProject, type Project } from './support';

/** A minute of it: CORD_EDITOR_SECONDS=60. */
const seconds = Number(process.env['CORD_EDITOR_SECONDS'] ?? 6);

/** Numbers as a script needs them: the same each time. */
function numbers(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

describe('Two people who write in one branch', () => {
  let p: Project;
  beforeAll(async () => {
    p = await openProject();
    await p.call('admin', base.setMember, { login: 'both', roles: ['author'] });
    const rows = [
      { kind: 'heading' as const, depth: 0, title: 'Brake', text: '' },
      ...Array.from({ length: 8 }, (_, i) => ({ kind: 'requirement' as const, depth: 1, title: `T ${i}`, text: `It shall ${i}.` })),
    ];
    await p.call('author', specify.addOutline, { key: 'BRK', rows });
  });
  afterAll(() => p.close());

  it(
    'lose nothing: what was acknowledged stands in the history, and each refusal says why',
    async () => {
      const end = Date.now() + seconds * 1000;
      const acknowledged: { key: string; revision: number; title: string }[] = [];
      const made: string[] = [];
      const refused = new Map<string, number>();
      let moved = 0;
      const read = async (who: string) => {
        const all: specify.Passage[] = [];
        for (;;) {
          const { rows, total } = (await p.call(who, specify.readSpecification, { key: 'BRK', skip: String(all.length), limit: '500' }))
            .body;
          all.push(...rows);
          if (all.length >= total || !rows.length) return all;
        }
      };
      const historyOf = async (key: string) => {
        const all = new Map<number, string>();
        for (let before: number | undefined; ;) {
          const { body } = await p.call('auditor', base.recordHistory, {
            key,
            limit: '200',
            ...(before ? { before: String(before) } : {}),
          });
          for (const { revision, snapshot } of body) all.set(revision, String(snapshot['title']));
          if (body.length < 200) return all;
          before = body[body.length - 1].seq;
        }
      };
      const write = async (who: string, seed: number): Promise<void> => {
        const any = numbers(seed);
        let rows = await read(who);
        for (let n = 0; Date.now() < end; n++) {
          // Not always looked at again: people write on what they see.
          if (any(3) === 0) rows = await read(who);
          const row = rows[1 + any(rows.length - 1)];
          const what = any(10);
          const answer =
            what < 6
              ? await p.call(who, specify.saveRequirement, {
                  key: row.key,
                  basedOn: row.revision,
                  content: content(`${who} ${n}`, { text: row.text, level: row.level, method: row.method }),
                })
              : what < 8
                ? await p.call(who, specify.placeRequirement, {
                    key: row.key,
                    under: 'BRK-001',
                    before: rows[1 + any(rows.length - 1)].key,
                  })
                : await p.call(who, specify.addRequirement, {
                    specification: 'BRK',
                    under: 'BRK-001',
                    after: row.key,
                    content: content(`${who} new ${n}`),
                  });
          if (answer.status === 200) {
            if (what < 6) acknowledged.push({ key: row.key, revision: answer.body.revision, title: `${who} ${n}` });
            else if (what < 8) moved++;
            else made.push(answer.body.key);
            rows = rows.map((r) => (r.key === answer.body.key ? { ...r, ...answer.body } : r));
          } else {
            refused.set(answer.problem.code, (refused.get(answer.problem.code) ?? 0) + 1);
            expect(['conflict', 'stateForbids', 'invalid']).toContain(answer.problem.code);
            // A conflict brings what stands there now.
            if (answer.problem.code === 'conflict')
              expect((answer.problem.current as { revision?: number }).revision).toBeGreaterThan(row.revision);
            else expect(answer.problem.detail ?? answer.problem.fields?.[0].text).toMatch(/./);
            rows = await read(who);
          }
        }
      };
      await Promise.all([write('author', 7), write('both', 11)]);
      expect(acknowledged.length).toBeGreaterThan(5);
      const histories = new Map<string, Map<number, string>>();
      for (const { key } of acknowledged) if (!histories.has(key)) histories.set(key, await historyOf(key));
      for (const { key, revision, title } of acknowledged)
        expect([key, revision, histories.get(key)?.get(revision)]).toEqual([key, revision, title]);
      const shown = await read('auditor');
      const keys = shown.map(({ key }) => key);
      expect(new Set(keys).size).toBe(keys.length);
      expect(keys.length).toBe(9 + made.length);
      for (const key of made) expect(keys).toContain(key);
      const checked = (await p.call('auditor', base.verifyLedger, {})).body;
      expect([checked.fault, checked.rowFaults]).toEqual([undefined, []]);
      if (process.env['CORD_EDITOR_SECONDS'])
        console.log(
          `${acknowledged.length} saved, ${made.length} made, ${moved} moved, refused: ${JSON.stringify(Object.fromEntries(refused))}`,
        );
    },
    seconds * 1000 + 60_000,
  );
});
