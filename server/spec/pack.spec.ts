import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as design from '@contract/design';
import * as specify from '@contract/specify';
import { JobRunner } from '../src/base';
import { makeProofPack } from '../src/prove';
import setPaper from '../src/prove/papers';
import { caseContent, content, openProject, password, type Project } from './support';

describe('a proof pack', () => {
  let p: Project;
  let folder: string;
  const sh = (script: string): string =>
    execFileSync('bash', ['-c', script], { cwd: folder, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] });
  const pack = (id: number) => p.call('auditor', prove.listPacks, { build: '1.0' }).then((list) => list.body.find((job) => job.id === id));
  const until = async (id: number, done: (state: string) => boolean): Promise<string> => {
    for (let i = 0; i < 300; i++) {
      const state = (await pack(id))?.state ?? '';
      if (done(state)) return state;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    return 'never';
  };

  beforeAll(async () => {
    p = await openProject();
    folder = mkdtempSync(join(tmpdir(), 'cord-pack-'));
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds at ≥ 5 °C, “always” → 文') });
    await p.approve('BRK-001');
    const { body: c } = await p.call('author', design.addCase, { content: caseContent('Shows it'), verifies: ['BRK-001'] });
    await p.approve(c.key);
    const round = (
      await p.call('author', run.addRound, { build: '1.0', title: 'R', configuration: 'rig', tester: 'tester', cases: [c.key] })
    ).body;
    const { key } = round.items[0];
    for (const step of [1, 2])
      await p.call('tester', run.recordStep, { key, step, observed: 'As expected: 5 °C', verdict: 'pass', seconds: 10 });
    await p.upload('tester', `/runs/${key}/steps/1/evidence`, [{ name: 'log.txt', bytes: Buffer.from('seen\n'), mime: 'text/plain' }]);
    const { hash } = (await p.call('tester', run.finishRun, { key, seconds: 20 })).body;
    await p.call('tester', run.signRun, { key, meaning: 'performed', password, hash });
    await p.call('reviewer', run.signRun, { key, meaning: 'reviewed', password, hash });
  }, 60_000);
  afterAll(async () => {
    rmSync(folder, { recursive: true, force: true });
    await p.close();
  });

  const runner = (): JobRunner =>
    new JobRunner(p.database, { pack: (job, progress) => makeProofPack(p.database.db, job, progress, setPaper) }, () => undefined);

  it('is begun again after its worker was killed, and made whole', async () => {
    const { body: job } = await p.call('auditor', prove.makePack, { build: '1.0' });
    // As a killed worker leaves it: claimed, half done, its last sign of life long ago.
    await p.owner.query(
      `update ${p.name}.jobs set state = 'running', holder = 'dead', heartbeat = '2020-01-01T00:00:00.000Z', progress = 0.5 where id = ?`,
      [job.id],
    );
    const worker = runner();
    worker.start();
    expect(await until(job.id, (state) => state === 'done')).toBe('done');
    await worker.stop();
    const answer = await p.app.inject({ url: `/api/projects/spec/packs/${job.id}/file`, headers: { cookie: await p.cookie('auditor') } });
    writeFileSync(join(folder, 'pack.zip'), answer.rawPayload);
  }, 60_000);

  it('is checked with unzip, sha256sum and openssl alone', () => {
    expect(sh('unzip -tq pack.zip')).toContain('No errors');
    sh('unzip -oq pack.zip');
    expect(sh('sha256sum --check --strict SHA256SUMS | grep -vc ": OK$" || true').trim()).toBe('0');
    expect(sh('openssl pkeyutl -verify -pubin -inkey public-key.pem -rawin -in SHA256SUMS -sigfile SHA256SUMS.sig')).toContain(
      'Verified Successfully',
    );
    const named = readFileSync(join(folder, 'SHA256SUMS'), 'utf8')
      .trim()
      .split('\n')
      .map((line) => line.slice(66));
    const present = sh('find . -type f | sed "s#^./##" | grep -v "^pack.zip$"').trim().split('\n');
    expect(present.filter((name) => !named.includes(name)).sort()).toEqual(['SHA256SUMS', 'SHA256SUMS.sig']);
  });

  it('shows a changed file, and a changed list', () => {
    sh('cp trace/matrix.csv kept.csv && printf x >> trace/matrix.csv');
    expect(() => sh('sha256sum --check --quiet SHA256SUMS')).toThrowError();
    sh('mv kept.csv trace/matrix.csv && sed "1s/^..../zzzz/" SHA256SUMS > forged');
    expect(() => sh('openssl pkeyutl -verify -pubin -inkey public-key.pem -rawin -in forged -sigfile SHA256SUMS.sig')).toThrowError();
  });

  it('binds signatures to record files, evidence to records, and ledger entries to each other', () => {
    const sum = sh('sha256sum runs/RUN-001/record.json | cut -d" " -f1').trim();
    const marks = JSON.parse(readFileSync(join(folder, 'runs/RUN-001/signatures.json'), 'utf8')) as { hash: string; meaning: string }[];
    expect(marks.map((s) => [s.meaning, s.hash])).toEqual([
      ['performed', sum],
      ['reviewed', sum],
    ]);
    const record = JSON.parse(readFileSync(join(folder, 'runs/RUN-001/record.json'), 'utf8')) as { evidence: { sha256: string }[] };
    expect(sh('sha256sum runs/RUN-001/evidence/* | cut -d" " -f1').trim()).toBe(record.evidence[0].sha256);
    // The very commands of VERIFY.md.
    const verify = readFileSync(join(folder, 'VERIFY.md'), 'utf8');
    const script = verify
      .slice(verify.indexOf('    previous='))
      .split('\n')
      .filter((line) => line.startsWith('    '))
      .join('\n');
    expect(sh(script).trim()).toBe(/last line is\s+([0-9a-f]{64})/.exec(verify)?.[1] ?? 'none');
  });

  it('sets documents with selectable text and embedded fonts, in which nothing vanishes', () => {
    expect(sh("pdffonts summary.pdf | tail -n +3 | awk '{print $(NF-4)}' | sort -u").trim()).toBe('yes');
    const text = sh('pdftotext -layout summary.pdf - ; pdftotext -layout runs/runs.pdf -');
    expect(text).toContain('>= 5 °C');
    expect(text).toContain('[U+6587]');
    expect(text).toMatch(/Page 2 of \d/);
    expect(text).toContain('log.txt');
    expect(sh('xmllint --html --noout trace/matrix.html 2>&1 || true')).not.toContain('error : Opening');
  });

  it('can be cancelled, and stores nothing then', async () => {
    const { body: job } = await p.call('author', prove.makePack, { build: '1.0' });
    await p.call('author', prove.cancelPack, { id: job.id });
    const worker = runner();
    worker.start();
    await new Promise((resolve) => setTimeout(resolve, 1500));
    await worker.stop();
    expect((await pack(job.id))?.state).toBe('cancelled');
    expect((await pack(job.id))?.file).toBeNull();
  }, 20_000);
});
