import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import * as base from '@contract/base';
import * as design from '@contract/design';
import * as measure from '@contract/measure';
import { zipSync } from 'fflate';
import { addTotals, caseOfTestName, fileTotals, LcovReader, noTotals, type FileMeasurement, type Totals } from '@core/measure';
import { addCase } from '../src/design';
import { caseContent, content, demo, openProject, password, root, type Project } from './support';
import { addRequirement } from '../src/specify';

const tracefiles = readdirSync(demo('coverage', 'lcov')).sort();
const read = (bytes: Buffer): { files: FileMeasurement[]; tests: Set<string>; findings: readonly { text: string; row?: number }[] } => {
  const files: FileMeasurement[] = [];
  const tests = new Set<string>();
  const reader = new LcovReader(({ test, file }) => {
    files.push(file);
    tests.add(test);
  });
  for (let at = 0; at < bytes.length; at += 777) reader.push(bytes.subarray(at, at + 777));
  reader.finish();
  return { files, tests, findings: reader.findings };
};

describe('the demo program’s coverage', () => {
  // Source: gcc's gcov -b of the same runs, written by demo/gondola/measure.sh beside the tracefiles (read, not recalled).
  const compiler = readFileSync(demo('coverage', 'gcov-totals.tsv'), 'utf8')
    .trim()
    .split('\n')
    .map((line) => line.split('\t'));

  it('equals the compiler’s own totals of lines and branches, for every file and every case', () => {
    let compared = 0;
    for (const name of tracefiles) {
      const { files, findings } = read(readFileSync(demo('coverage', 'lcov', name)));
      expect(findings).toEqual([]);
      for (const file of files) {
        const totals = fileTotals(file);
        for (const metric of ['lines', 'branches'] as const) {
          const row = compiler.find(([key, path, what]) => `${key}.info` === name && file.path.endsWith(`/${path}`) && what === metric);
          if (!row) continue;
          const ours = metric === 'lines' ? totals.line : totals.branch;
          expect(ours.found).withContext(`${name} ${file.path} ${metric}`).toBe(Number(row[4]));
          expect((100 * ours.hit) / ours.found)
            .withContext(`${name} ${file.path} ${metric}`)
            .toBeCloseTo(Number(row[3]), 1);
          compared++;
        }
      }
    }
    expect(compared).toBe(compiler.length);
  });

  it('counts functions as the tracefile’s own FNF and FNH lines do', () => {
    for (const name of tracefiles) {
      const bytes = readFileSync(demo('coverage', 'lcov', name));
      const total = read(bytes).files.reduce<Totals>((sum, file) => addTotals(sum, fileTotals(file)), noTotals);
      const sum = (tag: string): number =>
        [...bytes.toString().matchAll(new RegExp(`^${tag}:(\\d+)`, 'gm'))].reduce((n, m) => n + Number(m[1]), 0);
      expect([total.function.found, total.function.hit]).toEqual([sum('FNF'), sum('FNH')]);
      expect([total.line.found, total.line.hit, total.branch.found, total.branch.hit]).toEqual([
        sum('LF'),
        sum('LH'),
        sum('BRF'),
        sum('BRH'),
      ]);
    }
  });

  it('names its cases in TN with an underscore', () => {
    const { tests } = read(readFileSync(demo('coverage', 'lcov', 'C-018.info')));
    expect([...tests].map((test) => caseOfTestName(test, new Set(['C-018'])))).toEqual(['C-018']);
  });
});

describe('loading code and coverage', () => {
  let p: Project;
  const sources = readFileSync(demo('coverage', 'sources.zip'));
  const lcov = (key: string): Buffer => readFileSync(demo('coverage', 'lcov', `${key}.info`));
  const load = (name: string, bytes: Buffer) => p.upload('tester', '/builds/1.0/coverage', [{ name, bytes }]);
  const loadZip = (bytes: Buffer) => p.upload('author', '/builds/1.0/sources', [{ name: 'src.zip', bytes }]);
  beforeAll(async () => {
    p = await openProject();
    await addRequirement(p.database.db, p.as('author'), {
      specification: 'BRK',
      under: null,
      parent: null,
      key: 'BRK-009',
      content: content('Nine'),
    });
    await addCase(p.database.db, p.as('author'), { key: 'C-018', content: caseContent('Eighteen'), verifies: ['BRK-009'] });
  });
  afterAll(() => p.close());

  it('refuses a tracefile before the source tree is known', async () => {
    expect((await load('C-018.info', lcov('C-018'))).problem.detail).toContain('source tree');
  });

  it('refuses archives that climb out, that are bombs, that are damaged or no archives', async () => {
    expect((await loadZip(Buffer.from(zipSync({ '../evil.c': Buffer.from('int x;') })))).problem.code).toBe('hostileArchive');
    expect((await loadZip(Buffer.from(zipSync({ 'bomb.c': new Uint8Array(200 << 20) }, { level: 9 })))).problem.detail).toContain(
      '128 MiB',
    );
    expect((await loadZip(sources.subarray(0, sources.length >> 1))).status).toBe(422);
    expect((await loadZip(Buffer.from('not a zip'))).problem.detail).toContain('not a ZIP');
  });

  it('loads the demo’s sources with their traces, then its coverage', async () => {
    const { body } = await loadZip(sources);
    expect(body['files']).toBe(9);
    expect(body['functions']).toBe(37);
    const loaded = await load('C-018.info', lcov('C-018'));
    expect(loaded.body['cases']).toEqual(['C-018']);
    const code = (await p.call('auditor', measure.getCode, { build: '1.0' })).body;
    expect(code.total.line.found).toBe(326);
    expect(code.total.line.exercised).toBeGreaterThan(200);
    // No run passed: nothing counts yet.
    expect(code.total.line.credited).toBe(0);
    // Its files are a list as any other, and add up to it.
    const list = (more: object) => p.call('auditor', measure.listCodeFiles, { build: '1.0', ...more } as never).then(({ body }) => body);
    const all = await list({});
    expect([all.total, code.files]).toEqual([8, 8]);
    expect(all.rows.reduce((sum, { coverage }) => sum + coverage.line.found, 0)).toBe(326);
    expect(code.first).toBe(all.rows.find((file) => file.measured)?.key ?? '');
    const share = ({ coverage: { line } }: measure.CodeFile) => line.exercised / line.found;
    const low = await list({ filter: JSON.stringify({ field: 'exercised', to: 70 }), sort: '-exercised' });
    expect(low.total).toBe(all.rows.filter((file) => share(file) <= 0.7).length);
    expect(low.rows.map(share)).toEqual([...low.rows.map(share)].sort((a, b) => b - a));
    const paged = await list({ limit: 3 });
    const next = await list({ limit: 3, after: paged.next });
    expect([...paged.rows, ...next.rows].map(({ key }) => key)).toEqual(all.rows.slice(0, 6).map(({ key }) => key));
    expect((await list({ filter: JSON.stringify({ words: 'brake' }) })).rows.map(({ key }) => key)).toEqual(['src/brake.c']);
    const file = await p.app.inject({
      url: '/api/projects/spec/exports/code?build=1.0&format=csv&sort=-key',
      headers: { cookie: await p.cookie('auditor') },
    });
    expect(file.body.split('\n').length).toBeGreaterThan(8);
    expect(file.body.split('\n')[1]).toContain(all.rows.at(-1)?.key ?? '?');
  });

  it('takes every format that the core reads, recognises it and says so', async () => {
    const fixture = (...path: string[]): Buffer => readFileSync(join(root, 'core/fixtures/measure', ...path));
    const upload = (name: string, bytes: Buffer) => load(name, bytes).then(({ body }) => (body['read'] as { format: string }[])[0].format);
    expect(await upload('C-018.gcov.json.gz', fixture('gcov', 'C-018.gcov.json.gz'))).toBe('gcov JSON');
    const gcov = (await p.call('auditor', measure.getCode, { build: '1.0' })).body.total;
    expect(gcov.line.found).toBe(326);
    expect(await upload('C-018.txt.gz', fixture('llvm', 'C-018.txt.gz'))).toBe('llvm-cov show text');
    expect(await upload('C-018.json.gz', fixture('llvm', 'C-018.json.gz'))).toBe('llvm-cov export JSON');
    const clang = (await p.call('auditor', measure.getCode, { build: '1.0' })).body.total;
    await addCase(p.database.db, p.as('author'), { key: 'C-011', content: caseContent('Eleven'), verifies: [] });
    const mixed = await load('C-011.info', lcov('C-011'));
    expect(mixed.body['findings']).toContain(jasmine.objectContaining({ text: jasmine.stringContaining('the other is set aside') }));
    expect(mixed.body['bound']).toEqual([{ file: 'C-011.info', to: 'C-011 revision 1 (never approved)', files: 8 }]);
    // Source: llvm-cov 19's own totals of MC/DC for these files (read, in the fixture).
    expect(clang.mcdc.found).toBe(70);
    await load('C-018.info', lcov('C-018'));
  });

  it('reads test results and says that they are not recorded', async () => {
    const { body } = await load('results.xml', Buffer.from('<testsuite><testcase name="C-018"/><testcase name="C-404"/></testsuite>'));
    expect((body['results'] as { caseKey: string | null }[]).map((r) => r.caseKey)).toEqual(['C-018', null]);
    expect(body['cases']).toEqual([]);
  });

  it('keeps the good part of a faulty file where that is asked for, and maps paths', async () => {
    const half = `${lcov('C-018').toString()}SF:x\nDA:?\nend_of_record\n`;
    const asked = (query: string, text: string) =>
      p.upload('tester', `/builds/1.0/coverage${query}`, [{ name: 'C-018.info', bytes: Buffer.from(text) }]);
    expect((await asked('', half)).status).toBe(422);
    expect((await asked('?faults=keepGood', half)).body['cases']).toEqual(['C-018']);
    const moved = 'TN:C_018\nSF:D:\\Agent\\7\\BRAKE.C\nDA:6,1\nend_of_record\n';
    expect((await asked('', moved)).status).toBe(422);
    expect((await asked('?from=d:/agent/7/&to=src/&ignoreCase=yes&rulesReason=as+on+the+agent', moved)).body['cases']).toEqual(['C-018']);
    await load('C-018.info', lcov('C-018'));
  });

  it('says where a tracefile is cut off, and loads nothing of it', async () => {
    const cut = lcov('C-018').subarray(0, 700);
    const { status, problem } = await load('C-018.info', cut);
    expect(status).toBe(422);
    expect(problem.findings?.some((f) => f.text.includes('cut off'))).toBeTrue();
  });

  it('refuses a tracefile of another program and names what matched nothing', async () => {
    const { problem } = await load('C-018.info', Buffer.from('TN:C_018\nSF:/other/program.c\nDA:1,1\nend_of_record\n'));
    expect(problem.findings?.map((f) => f.text).join(' ')).toContain('/other/program.c matches no source file');
  });

  it('refuses a tracefile that names no case', async () => {
    const { problem } = await load('x.info', Buffer.from('TN:unknown\nSF:/b/src/brake.c\nDA:6,1\nend_of_record\n'));
    expect(problem.findings?.[0].text).toContain('names no case');
  });

  it('ends a 300 MB upload as soon as it is too large', async () => {
    const { status, problem } = await load('C-018.info', Buffer.alloc(300 << 20, 'DA:1,1\n'));
    expect(status).toBe(413);
    expect(problem.code).toBe('tooLarge');
    expect((await p.call('auditor', measure.getCode, { build: '1.0' })).body.cases).toBe(2);
  });

  it('traces code by hand and takes only that back', async () => {
    const trace = (requirement: string, traced: boolean) =>
      p.call('author', measure.traceCode, { build: '1.0', path: 'src/speed.c', unit: 'speed_ramp', requirement, traced });
    const added = await trace('BRK-009', true);
    expect(added.body.units.find((u) => u.name === 'speed_ramp')?.byHand).toEqual(['BRK-009']);
    expect((await trace('BRK-009', true)).problem.code).toBe('exists');
    expect((await trace('BRK-009', false)).body.units.find((u) => u.name === 'speed_ramp')?.byHand).toEqual([]);
    const inSource = await p.call('author', measure.traceCode, {
      build: '1.0',
      path: 'src/sensors.c',
      unit: 'sensor_update',
      requirement: 'BRK-009',
      traced: false,
    });
    expect(inSource.problem.code).toBe('stateForbids');
  });

  it('shows the code of a closed build as it was at its closing, whatever is traced or changed afterwards', async () => {
    const file = async () => (await p.call('auditor', measure.getFile, { build: '1.0', path: 'src/brake.c' })).body;
    const code = async (key: string) => (await p.call('auditor', measure.requirementCode, { build: '1.0', key })).body;
    const before = [await file(), await code('BRK-007')];
    expect((await p.call('reviewer', base.closeBuild, { key: '1.0', password, reason: 'delivered' })).status).toBe(200);
    const c = (await p.call('auditor', design.getCase, { key: 'C-018' })).body;
    await p.call('author', design.saveCase, {
      key: 'C-018',
      reason: 'It was not clear.',
      basedOn: c.revision,
      content: caseContent('Another'),
    });
    for (const trace of c.verifies) await p.call('author', base.removeTrace, { id: trace.id, reason: 'no longer' });
    expect([await file(), await code('BRK-007')]).toEqual(before);
    expect((await load('C-018.info', lcov('C-018'))).problem.code).toBe('closed');
    const [upload] = (await p.call('auditor', measure.listUploads, { build: '1.0' })).body.rows;
    const withdrawal = { key: upload.key, withdrawn: true, reason: 'by mistake', password };
    expect((await p.call('author', measure.withdrawUpload, withdrawal)).problem.code).toBe('closed');
  });
});
