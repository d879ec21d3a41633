import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as base from '@contract/base';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as design from '@contract/design';
import * as specify from '@contract/specify';
import { readPack } from './pack-reader';
import { packRunner, unpacked } from './packs';
import { caseContent, content, eventually, openProject, password, type Project } from './support';

describe('a proof pack', () => {
  let p: Project;
  let folder: string;
  const sh = (script: string): string =>
    execFileSync('bash', ['-c', script], { cwd: folder, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] });
  const pack = (id: number) => p.call('auditor', prove.listPacks, { build: '1.0' }).then((list) => list.body.find((job) => job.id === id));

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
  });
  afterAll(async () => {
    rmSync(folder, { recursive: true, force: true });
    await p.close();
  });

  it('is begun again after its worker was killed, and made whole', async () => {
    const { body: job } = await p.call('author', prove.makePack, { build: '1.0' });
    // As a killed worker leaves it: claimed, half done, its last sign of life long ago.
    await p.owner.query(
      `update ${p.name}.jobs set state = 'running', holder = 'dead', heartbeat = '2020-01-01T00:00:00.000Z', progress = 0.5 where id = ?`,
      [job.id],
    );
    const worker = packRunner(p);
    worker.start();
    await eventually(async () => ['done', 'failed'].includes((await pack(job.id))?.state ?? ''));
    expect((await pack(job.id))?.state).toBe('done');
    await worker.stop();
    const answer = await p.app.inject({ url: `/api/projects/spec/packs/${job.id}/file`, headers: { cookie: await p.cookie('auditor') } });
    expect(answer.statusCode).toBe(200);
    writeFileSync(join(folder, 'pack.zip'), answer.rawPayload);
  });

  /** The commands of VERIFY.md, pasted block by block as they stand; answers what each printed. */
  const pasted = (at: string): string => {
    const blocks = readFileSync(join(folder, 'pack/VERIFY.md'), 'utf8')
      .split(/\n(?! {4})/)
      .reduce<string[]>((list, line) => {
        const code = line
          .split('\n')
          .filter((l) => l.startsWith('    '))
          .map((l) => l.slice(4));
        return code.length ? [...list, code.join('\n')] : list;
      }, []);
    expect(blocks.length).toBeGreaterThanOrEqual(7);
    return blocks
      .map((block) => {
        const done = spawnSync('bash', ['-c', block], { cwd: at, encoding: 'utf8' });
        return done.stdout + done.stderr;
      })
      .join('\n');
  };
  /** The list of files as it would be of what stands there now. */
  const relist = `find . -type f ! -name 'SHA256SUMS*' | sed 's#^./##' | while read -r f; do sha256sum "$f"; done > ../s; mv ../s SHA256SUMS`;
  const loud = (text: string): string[] => text.split('\n').filter((line) => /^[A-Z ]{12,}/.test(line));

  it('is checked by pasting the commands of VERIFY.md, which say in every step that it holds', () => {
    expect(sh('unzip -tq pack.zip')).toContain('No errors');
    sh('mkdir pack && cd pack && unzip -oq ../pack.zip');
    const given = pasted(join(folder, 'pack'));
    expect(loud(given)).toEqual([]);
    for (const words of [
      'every listed file is as it was',
      'no file stands here that is not listed',
      'the list is the one that was signed',
      'fingerprint ',
      'every signed text has the hash that was signed',
      'every file of evidence is the one recorded',
      'every signature stands in the ledger',
      'the ledger is whole',
    ])
      expect(given).toContain(words);
  });

  it('holds every part that its contents name', () => {
    for (const name of [
      'index.html',
      'requirements/BRK-001.html',
      'cases/C-001.html',
      'signed/BRK-001/revision-1.json',
      'signed/C-001/revision-1.json',
      'trace/traces.json',
      'trace/code.json',
      'configuration.json',
      'people.json',
      'deviations.json',
      'signatures.tsv',
      'keys/1.pem',
      'STATEMENT.md',
    ])
      expect(existsSync(join(folder, 'pack', name)))
        .withContext(name)
        .toBeTrue();
    const page = readFileSync(join(folder, 'pack/requirements/BRK-001.html'), 'utf8');
    for (const part of ['../cases/C-001.html', '../runs/RUN-001/record.json', 'Person reviewer', 'approved']) expect(page).toContain(part);
    const lines = readFileSync(join(folder, 'pack/signatures.tsv'), 'utf8').trim().split('\n').slice(1);
    expect(lines.map((line) => line.split('\t')[4]).sort()).toEqual(['approved', 'approved', 'performed', 'reviewed']);
    const flags = execFileSync('zipinfo', ['-v', 'pack.zip', 'VERIFY.md'], { cwd: folder, encoding: 'utf8' });
    expect(flags).toContain('Unix');
  });

  it('is read by a second program, which computes its figures again and finds nothing else', () => {
    const { faults, ...read } = readPack(join(folder, 'pack'));
    expect(faults).toEqual([]);
    expect(read).toEqual({ runs: 1, cords: 1, points: 0, signatures: 2 });
  });

  it('is found not to agree with itself where a figure is another one, though its list of files is made anew', () => {
    for (const [change, says] of [
      [`sed -i 's/"verdict":"pass"/"verdict":"fail"/' runs/RUN-001/record.json`, /RUN-001 says passed, its steps fail/],
      [`sed -i 's/"firstBreak": *"[a-z]*"/"firstBreak": null/' cords/cords.json`, /its first break is not null/],
      [`sed -i '/^BRK-001/d' trace/matrix.csv`, /the matrix leaves out C-001 of BRK-001/],
      [`sed -i 's/"login": *"reviewer"/"login":"tester"/' runs/RUN-001/signatures.json`, /its own tester reviewed it/],
      ['rm -r runs/RUN-001', /Run is sound, and C-001 has no result/],
      [`sed -i '/^BRK-001/d' breaks.csv`, /the table of breaks leaves it out/],
    ] as const) {
      sh(`rm -rf lying && cp -r pack lying && cd lying && ${change} && (${relist})`);
      expect(readPack(join(folder, 'lying')).faults.join('\n'))
        .withContext(change)
        .toMatch(says);
    }
  });

  const forgery = (name: string, script: string, says: RegExp): void =>
    it(`shows it when ${name}`, () => {
      sh(`rm -rf forged && cp -r pack forged && cd forged && ${script}`);
      expect(loud(pasted(join(folder, 'forged'))).join('\n')).toMatch(says);
    });
  const resum = 'for f in $(cut -c67- SHA256SUMS); do sha256sum $f; done > s && mv s SHA256SUMS';
  const resign = `${resum} && openssl genpkey -algorithm ed25519 -out ../k.pem 2>/dev/null && openssl pkeyutl -sign -inkey ../k.pem -rawin -in SHA256SUMS -out SHA256SUMS.sig`;
  forgery('one byte of a file is changed', 'printf x >> trace/matrix.csv', /A LISTED FILE WAS CHANGED/);
  forgery('a file is added', 'echo more > runs/RUN-001/evidence/2-9-more.txt', /FILES THAT THE LIST DOES NOT NAME/);
  forgery('a row of the list is taken out', 'rm breaks.csv && sed -i /breaks.csv/d SHA256SUMS', /THE LIST IS NOT THE ONE THAT WAS SIGNED/);
  forgery(
    'a verdict is changed, and the list with it',
    `sed -i 's/"verdict":"passed"/"verdict":"failed"/' runs/RUN-001/record.json && ${resum}`,
    /THE LIST IS NOT THE ONE THAT WAS SIGNED[^]*A SIGNED TEXT IS NOT THE ONE/,
  );
  forgery(
    'a signature is moved to another record',
    "sed -i 's#^runs/RUN-001/record.json#signed/C-001/revision-1.json#' signatures.tsv",
    /A SIGNED TEXT IS NOT THE ONE THAT WAS SIGNED/,
  );
  forgery(
    'a signature is made somebody else’s',
    "sed -i 's/\treviewer\t\\(.*\\)\treviewed/\tauthor\t\\1\treviewed/' signatures.tsv",
    /NOT IN THE LEDGER: RUN-001 reviewed by author/,
  );
  forgery('the last entries of the ledger are cut off', "sed -i '$d' ledger.jsonl", /THE LEDGER DOES NOT END/);
  forgery('an entry in the middle is changed', `sed -i '5s/"format":2/"format":3/' ledger.jsonl`, /THIS ENTRY DOES NOT FOLLOW/);
  forgery(
    'all is signed anew with another key that the page does not name',
    `${resign} && openssl pkey -in ../k.pem -pubout -out public-key.pem`,
    /THE KEY IS NOT THE ONE/,
  );

  it('cannot show, without the fingerprint, that all of it was made anew: and says so', () => {
    const page = readFileSync(join(folder, 'pack/VERIFY.md'), 'utf8');
    expect(page).toContain('Only this one shows it');
    expect(page).toContain('all of it is made anew and signed with another key | 3 alone');
  });

  it('sets documents with selectable text and embedded fonts, in which nothing vanishes', () => {
    expect(sh("cd pack; pdffonts summary.pdf | tail -n +3 | awk '{print $(NF-4)}' | sort -u").trim()).toBe('yes');
    const text = sh('cd pack; pdftotext -layout summary.pdf - ; pdftotext -layout runs/runs.pdf -');
    expect(text).toContain('>= 5 °C');
    expect(text).toContain('[U+6587]');
    expect(text).toMatch(/Page 2 of \d/);
    expect(text).toContain('log.txt');
    expect(sh('xmllint --html --noout pack/trace/matrix.html 2>&1 || true')).not.toContain('error : Opening');
  });

  it('can be cancelled, and stores nothing then', async () => {
    const { body: job } = await p.call('author', prove.makePack, { build: '1.0' });
    await p.call('author', base.cancelJob, { id: job.id });
    const worker = packRunner(p);
    worker.start();
    await new Promise((resolve) => setTimeout(resolve, 1500));
    await worker.stop();
    expect((await pack(job.id))?.state).toBe('cancelled');
    expect((await pack(job.id))?.file).toBeNull();
  });
});

describe('a proof pack of awkward content', () => {
  let p: Project;
  let folder: string;
  beforeAll(async () => {
    p = await openProject();
    folder = mkdtempSync(join(tmpdir(), 'cord-pack-'));
  });
  afterAll(async () => {
    rmSync(folder, { recursive: true, force: true });
    await p.close();
  });

  const scripts = [
    'Ångström größer',
    'Тормоз зажат',
    'قاطع',
    'ब्रेक',
    '制動装置',
    '브레이크',
    'ระบบเบรก',
    '"quotes", semi;colon',
    '=1+1',
    '<b>& bold</b>',
    '🚡',
  ];

  it('of every verdict and state, of names in every script, of nothing and of one, agrees with itself', async () => {
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('A heading', { kind: 'heading', text: '' }) });
    const keys: string[] = [];
    for (const [i, title] of scripts.entries()) {
      const { body } = await p.call('author', specify.addRequirement, {
        specification: 'BRK',
        content: content(title, i % 2 ? { notInCode: true, notInCodeRationale: 'A lever.' } : {}),
      });
      keys.push(body.key);
      if (i > 1) await p.approve(body.key);
    }
    const designed = async (title: string, verifies: string[], more = {}): Promise<string> => {
      const { body } = await p.call('author', design.addCase, { content: { ...caseContent(title), ...more }, verifies });
      await p.approve(body.key);
      return body.key;
    };
    const rows = {
      rows: [
        { name: 'größte', values: {} },
        { name: 'kleinste', values: {} },
      ],
    };
    const cases: string[] = [];
    for (const [i, title] of scripts.entries()) if (i) cases.push(await designed(title, [keys[i]], i === 3 ? rows : {}));
    const plan = async (some: string[], configuration: string, reason = '') =>
      (await p.call('author', run.addRound, { build: '1.0', title: 'Runde Ü', configuration, tester: 'tester', cases: some, reason })).body;
    const record = async (key: string, verdicts: readonly ('pass' | 'fail' | 'deviation' | 'blocked')[], sign = true) => {
      for (const [i, verdict] of verdicts.entries())
        await p.call('tester', run.recordStep, { key, step: i + 1, observed: `gesehen ${i} „so“`, verdict, seconds: i });
      const { status, body } = await p.call('tester', run.finishRun, { key, seconds: 30 });
      if (status !== 200 || !sign) return;
      await p.call('tester', run.signRun, { key, meaning: 'performed', password, hash: body.hash });
      await p.call('reviewer', run.signRun, {
        key,
        meaning: 'reviewed',
        password,
        hash: body.hash,
        reason: 'Gesehen.',
        acceptDeviation: true,
      });
    };
    const round = await plan(cases, 'قاطع rig');
    const ways = [
      ['pass', 'pass'],
      ['pass', 'fail'],
      ['fail'],
      ['deviation', 'pass'],
      ['blocked', 'pass'],
      ['pass'],
      ['pass', 'pass'],
    ] as const;
    for (const [i, item] of round.items.entries()) if (ways[i]) await record(item.key, ways[i], i !== 6);
    await record((await plan([cases[1]], 'قاطع rig', 'Once more.')).items[0].key, ['pass', 'pass']);
    await record((await plan([cases[0]], 'second rig')).items[0].key, ['pass', 'fail']);
    // One of a case that was revised since, and one that nobody ran.
    const { body: now } = await p.call('auditor', design.getCase, { key: cases[5] });
    await p.call('author', design.saveCase, {
      key: cases[5],
      basedOn: now.revision,
      content: caseContent('Anders'),
      reason: 'Clearer.',
    } as never);
    await p.upload('tester', `/runs/${round.items[0].key}/steps/1/evidence`, [
      { name: 'снимок 1.png', bytes: Buffer.alloc(0), mime: 'image/png' },
    ]);

    const pack = await unpacked(p, '1.0', folder);
    const { faults, ...read } = readPack(pack);
    expect(faults).toEqual([]);
    expect(read.runs).toBe(13);
    expect(read.cords).toBe(scripts.length);
    const { cords } = JSON.parse(readFileSync(join(pack, 'cords/cords.json'), 'utf8')) as {
      cords: { title: string; knots: Record<string, { state: string }> }[];
    };
    expect(cords.map(({ title }) => title).sort()).toEqual([...scripts].sort());
    const states = new Set(cords.flatMap(({ knots }) => Object.values(knots).map(({ state }) => state)));
    for (const state of ['sound', 'waiting', 'broken', 'suspect', 'notReached', 'notRequired']) expect(states).toContain(state);
  });
});
