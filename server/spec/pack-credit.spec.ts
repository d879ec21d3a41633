import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as design from '@contract/design';
import * as measure from '@contract/measure';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { randomFrom } from '@core/design';
import { zipSync } from 'fflate';
import { recredit } from './pack-credit';
import { unpacked } from './packs';
import { caseContent, content, openProject, password, type Project } from './support';

describe('the credit of each requirement in a pack', () => {
  let p: Project;
  let folder: string;
  const requirements: string[] = [];
  const cases: string[] = [];

  beforeAll(async () => {
    p = await openProject();
    folder = mkdtempSync(join(tmpdir(), 'cord-credit-'));
    for (let i = 0; i < 5; i++) {
      const { body } = await p.call('author', specify.addRequirement, {
        specification: 'BRK',
        content: content(`Nr. ${i}`, { level: 'SIL 3' }),
        parent: i > 2 ? requirements[i - 3] : null,
      });
      requirements.push(body.key);
      await p.approve(body.key);
    }
    for (let i = 0; i < 6; i++) {
      const { body } = await p.call('author', design.addCase, {
        content: caseContent(`Case ${i}`),
        verifies: [...new Set([requirements[i % 5], requirements[(i * 2) % 5]])],
      });
      cases.push(body.key);
      await p.approve(body.key);
    }
  });
  afterAll(async () => {
    rmSync(folder, { recursive: true, force: true });
    await p.close();
  });

  /** Two files of three functions, each of six lines with one decision on its third. */
  const paths = ['src/a.c', 'src/b.c'];
  const bodies = [0, 1, 2];
  const textOf = (path: string, random: () => number, before = 0, changed = -1): string =>
    '/* Before. */\n'.repeat(before) +
    bodies
      .map((f) => {
        const keys = [requirements[random() % 5], requirements[random() % 5]];
        const name = `${path === paths[0] ? 'a' : 'b'}${f}`;
        return `/* @req ${[...new Set(keys)].join(', ')} */\nint ${name}(int x)\n{\n  if (x)\n    return ${f === changed ? 99 : f};\n  return 0;\n}\n`;
      })
      .join('');
  const infoOf = (random: () => number, before = 0, test = ''): Buffer => {
    const hit = (): number => (random() % 3 ? 1 : 0);
    const lines = paths.flatMap((path) => {
      const functions = bodies.flatMap((f) => {
        const at = before + f * 7 + 2;
        const name = `${path === paths[0] ? 'a' : 'b'}${f}`;
        const data = [0, 2, 3, 4].map((line) => `DA:${at + line},${hit()}`);
        return [`FN:${at},${name}`, `FNDA:${hit()},${name}`, ...data, `BRDA:${at + 2},0,0,${hit()}`, `BRDA:${at + 2},0,1,${hit()}`];
      });
      return [`TN:${test}`, `SF:/b/${path}`, ...functions, 'end_of_record'];
    });
    return Buffer.from(`${lines.join('\n')}\n`);
  };
  const load = (build: string, name: string, bytes: Buffer, query = '') =>
    p.upload('tester', `/builds/${build}/coverage${query}`, [{ name, bytes }]);
  const sources = (build: string, seed: number, before = 0, changed = -1) =>
    p.upload(
      'author',
      `/builds/${build}/sources`,
      [
        {
          name: 's.zip',
          bytes: Buffer.from(
            zipSync(Object.fromEntries(paths.map((path, i) => [path, Buffer.from(textOf(path, randomFrom(seed + i), before, changed))]))),
          ),
        },
      ],
      { reason: 'They are newer.', password },
    );

  /** A build on which most cases ran, some failed, some are not signed; measured by case, by run, and by nobody; exchanged and carried. */
  const work = async (seed: number): Promise<string> => {
    const random = randomFrom(seed);
    const build = `1.${seed}`;
    await p.call('author', run.addBuild, { name: build, description: '' });
    expect((await sources(build, seed)).status).toBe(200);
    for (const configuration of ['rig', 'cold']) {
      const some = cases.filter(() => random() % 4);
      const round = { build, title: 'R', configuration, tester: 'tester', cases: some };
      const { items } = (await p.call('author', run.addRound, round)).body;
      for (const { key, caseKey } of items) {
        const verdict = (['pass', 'pass', 'pass', 'fail', 'deviation', 'blocked'] as const)[random() % 6];
        for (const step of [1, 2]) await p.call('tester', run.recordStep, { key, step, observed: 'seen', verdict, seconds: 1 });
        const { body } = await p.call('tester', run.finishRun, { key, seconds: 9 });
        if (random() % 5) await p.call('tester', run.signRun, { key, meaning: 'performed', password, hash: body.hash });
        const accept = { acceptDeviation: random() % 2 === 0, reason: 'Harmless.' };
        await p.call('reviewer', run.signRun, { key, meaning: 'reviewed', password, hash: body.hash, ...accept });
        if (random() % 3 === 0) await load(build, 'x.info', infoOf(random), `?run=${key}`);
        else if (random() % 3) await load(build, `run_${caseKey}.info`, infoOf(random));
        if (random() % 7 === 0) await p.call('reviewer', run.decideRun, { key, choice: 'return', reason: 'Not so.', password });
      }
    }
    await load(build, 'both.info', Buffer.concat([infoOf(random, 0, cases[0]), infoOf(random, 0, cases[1])]));
    await load(build, 'nobody.info', infoOf(random), `?bind=${encodeURIComponent(JSON.stringify({ 'nobody.info': '' }))}`);
    const { body: uploads } = await p.call('tester', measure.listUploads, { build, limit: 50 });
    for (const { key } of uploads.rows)
      if (random() % 5 === 0) await p.call('tester', measure.withdrawUpload, { key, withdrawn: true, reason: 'Wrong.', password });
    if (seed % 2) return build;
    // Exchanged for a text in which one function is another one; some of the rest is carried, and some cases measured it anew.
    expect((await sources(build, seed, 3, 1)).status).toBe(200);
    await load(build, `${cases[random() % cases.length]}.info`, infoOf(random, 3));
    const { body: offers } = await p.call('reviewer', measure.offerCarries, { build });
    const units = offers.rows
      .filter(({ state, unit }) => state === 'same' && !unit.endsWith('2'))
      .map(({ path, unit }) => ({ path, unit }));
    expect(units.length).toBe(2);
    expect((await p.call('reviewer', measure.carryMeasured, { build, units, argument: 'The same.', password })).status).toBe(200);
    return build;
  };

  for (const seed of [1, 2, 3, 4, 6])
    it(`is what a second program makes of the coverage as it was loaded (${seed})`, async () => {
      const { faults, requirements: count, credited } = recredit(await unpacked(p, await work(seed), folder));
      expect(faults).toEqual([]);
      expect(count).toBeGreaterThan(3);
      expect(credited).toBeGreaterThan(5);
    });

  it('is found to be another one where a file says what was not loaded, a run was not signed, or a trace is gone', async () => {
    const pack = await unpacked(p, '1.1', folder);
    const changed = (name: string, change: (text: string) => string): readonly string[] => {
      const lying = join(folder, 'lying');
      rmSync(lying, { recursive: true, force: true });
      execFileSync('cp', ['-r', pack, lying]);
      const before = readFileSync(join(lying, name), 'utf8');
      const after = change(before);
      expect(after).not.toBe(before);
      writeFileSync(join(lying, name), after);
      return recredit(lying).faults;
    };
    expect(changed('trace/code.json', (text) => text.replace(/"requirement": "[^"]*"/, '"requirement": "BRK-404"'))).not.toEqual([]);
    expect(
      changed('coverage/coverage.json', (text) => text.replaceAll(/"credited": (\d+)/g, (_, n) => `"credited": ${Number(n) + 1}`)),
    ).not.toEqual([]);
    const signatures = readdirSync(join(pack, 'runs'), { withFileTypes: true })
      .filter((entry) => entry.isDirectory())
      .map(({ name }) => `runs/${name}/signatures.json`);
    const unsigned = signatures.filter(
      (name) =>
        readFileSync(join(pack, name), 'utf8').includes('performed') && changed(name, (text) => text.replace('performed', 'seen')).length,
    );
    expect(unsigned.length).toBeGreaterThan(0);
  });
});
