import * as measure from '@contract/measure';
import * as run from '@contract/run';
import { zipSync } from 'fflate';
import { openLies, type Lies } from './lies';
import { codeLies, type CodeLies } from './lies-code';
import { password } from './support';

/**
 * Attempts to get a sound cord, a higher figure or a signature that is not deserved. Each says what is refused, or what the cord says
 * instead: one that succeeds fails the build.
 */
describe('a lie', () => {
  let p: Lies['p'];
  let next: Lies['next'];
  let requirement: Lies['requirement'];
  let aCase: Lies['aCase'];
  let planned: Lies['planned'];
  let record: Lies['record'];
  let signBoth: Lies['signBoth'];
  let cord: Lies['cord'];
  let revise: Lies['revise'];
  let proved: Lies['proved'];
  let code: Lies['code'];
  let source: CodeLies['source'];
  let info: CodeLies['info'];
  let all: CodeLies['all'];
  let half: CodeLies['half'];
  let load: CodeLies['load'];
  let sources: CodeLies['sources'];
  let signed: CodeLies['signed'];
  let measured: CodeLies['measured'];
  let knot: CodeLies['knot'];
  beforeAll(async () => {
    const lies = await openLies();
    ({ p, next, requirement, aCase, planned, record, signBoth, cord, revise, proved, code } = lies);
    ({ source, info, all, half, load, sources, signed, measured, knot } = codeLies(lies));
  });
  afterAll(() => p.close());

  describe('about what was measured:', () => {
    it('(the honest way is sound)', async () => {
      const { build, r, c } = await measured();
      expect((await load(build, `${c}.info`, info(all))).status).toBe(200);
      expect(await knot(r, build)).toBe('sound');
    });
    it('nothing measured at all', async () => {
      const { build, r } = await measured();
      expect(await knot(r, build)).toBe('waiting');
    });
    it('the half of the branches', async () => {
      const { build, r, c } = await measured();
      await load(build, `${c}.info`, info(half));
      expect(await knot(r, build)).toBe('broken');
    });
    it('lines without any branch, where branches are asked for', async () => {
      const { build, r, c } = await measured('SIL 3');
      await load(build, `${c}.info`, info('DA:2,1\nDA:4,1\nDA:5,1\nDA:6,1\n'));
      expect(await knot(r, build)).not.toBe('sound');
    });
    describe('where no format tells what is asked,', () => {
      const lines = 'DA:2,1\nDA:4,1\nDA:5,1\nDA:6,1\n';
      const attest = (who: string, build: string, more = {}) =>
        p.call(who, measure.attest, {
          build,
          path: 'src/f.c',
          unit: 'f',
          metric: 'branch',
          argument: 'Both ways were stepped through on the rig.',
          password,
          ...more,
        });
      it('an attestation of whoever may not, with a wrong password, of what was measured, or twice', async () => {
        const { build, c, r } = await measured('SIL 3');
        expect(code(await attest('reviewer', build))).toBe('stateForbids');
        await load(build, `${c}.info`, info(lines));
        expect((await attest('tester', build)).status).toBe(403);
        expect(code(await attest('reviewer', build, { password: 'not the password' }))).toBe('signaturePassword');
        expect(code(await attest('reviewer', build, { metric: 'line' }))).toBe('stateForbids');
        expect(code(await attest('reviewer', build, { unit: 'g' }))).toBe('notFound');
        expect(await knot(r, build)).toBe('waiting');
        expect((await attest('reviewer', build)).status).toBe(200);
        expect(code(await attest('reviewer', build))).toBe('exists');
      });
      it('it counts apart, for this text, and until it is withdrawn', async () => {
        const { build, c, r } = await measured('SIL 3');
        await load(build, `${c}.info`, info(lines));
        const { body: made } = await attest('reviewer', build);
        expect(made).toEqual(jasmine.objectContaining({ state: 'stands', metric: 'branch', by: 'Person reviewer' }));
        expect(await knot(r, build)).toBe('sound');
        const { body: shown } = await p.call('auditor', measure.getFile, { build, path: 'src/f.c' });
        expect(shown.units[0].attested).toEqual([{ key: made.key, metric: 'branch' }]);
        expect(shown.coverage.branch).toEqual({ found: 0, exercised: 0, credited: 0, justified: 0 });
        const withdrawn = await p.call('reviewer', measure.withdrawAttestation, { key: made.key, reason: 'Seen wrongly.', password });
        expect(withdrawn.body.state).toBe('withdrawn');
        expect(await knot(r, build)).toBe('waiting');
        const { body: second } = await attest('reviewer', build);
        expect(await knot(r, build)).toBe('sound');
        expect((await sources(build, source(r).replace('return 0', 'return 2'), signed)).status).toBe(200);
        expect(await knot(r, build)).toBe('waiting');
        const { body: list } = await p.call('auditor', measure.listAttestations, { build });
        expect(list.rows.find(({ key }) => key === second.key)?.state).toBe('otherText');
      });
      it('of two functions one alone', async () => {
        const { build, c, r } = await measured('SIL 3');
        await sources(build, `${source(r)}/* @req ${r} */\nint g(void)\n{\n  return 1;\n}\n`, signed);
        await load(
          build,
          `${c}.info`,
          Buffer.from(`TN:\nSF:/b/src/f.c\nFN:2,f\nFNDA:1,f\nFN:10,g\nFNDA:1,g\n${lines}DA:10,1\nDA:12,1\nend_of_record\n`),
        );
        expect((await attest('reviewer', build)).status).toBe(200);
        expect(await knot(r, build)).toBe('waiting');
        expect((await attest('reviewer', build, { unit: 'g' })).status).toBe(200);
        expect(await knot(r, build)).toBe('sound');
      });
    });
    it('what the failed run had reached, after a rerun that reached less', async () => {
      const { build, r, c, key } = await measured();
      await load(build, `${c}.info`, info(all), `?run=${key}`);
      const again = await planned(c, { build, reason: 'once more' });
      await record(again);
      await signBoth(again);
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('what another requirement’s case reached in code that both share', async () => {
      const { build, r, c } = await measured();
      const other = await requirement({ notInCode: false, notInCodeRationale: '' });
      const otherCase = await aCase([other]);
      const key = await planned(otherCase, { build });
      await record(key);
      await signBoth(key);
      expect((await sources(build, source(r, other), signed)).status).toBe(200);
      await load(build, `${c}.info`, info(half));
      await load(build, `${otherCase}.info`, info(all));
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('what an older revision of the case reached', async () => {
      const { build, r, c } = await measured();
      await load(build, `${c}.info`, info(all));
      await revise(c);
      await p.approve(c);
      const again = await planned(c, { build, reason: 'new revision' });
      await record(again);
      await signBoth(again);
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('a run that nobody signed, or that failed', async () => {
      const { build, r } = await measured();
      const second = await aCase([r]);
      const key = await planned(second, { build });
      await record(key, 'fail');
      await load(build, `${second}.info`, info(all));
      expect((await cord(r, build))['run']).toBe('broken');
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('a measurement bound to nobody', async () => {
      const { build, r, c } = await measured();
      await load(build, 'x.info', info(all), `?bind=${encodeURIComponent(JSON.stringify({ 'x.info': '' }))}`);
      expect(await knot(r, build)).toBe('waiting');
      expect(c).toBeTruthy();
    });
    it('a name that fits nothing, or two', async () => {
      const { build, c } = await measured();
      expect((await load(build, 'anything.info', info(all))).status).toBe(422);
      expect((await load(build, `${c}_C-001.info`, info(all))).status).toBe(422);
      expect((await load(build, `run_${c}_gcov.info`, info(all))).status).toBe(200);
    });
    it('two files of one tool for one case about one source', async () => {
      const { build, c } = await measured();
      const files = [
        { name: `a_${c}.info`, bytes: info(half) },
        { name: `b_${c}.info`, bytes: info(all) },
      ];
      const answer = await p.upload('tester', `/builds/${build}/coverage`, files);
      expect(answer.problem.findings?.[0].text).toContain('choose one');
    });
    it('a second tool’s points, added to those of the first', async () => {
      const { build, c } = await measured();
      await load(build, `${c}.info`, info(all));
      const lines = '<line number="4" hits="1"/>';
      const xml = `<coverage><packages><package><classes><class filename="src/f.c"><lines>${lines}</lines></class></classes></package></packages></coverage>`;
      const { body } = await load(build, `${c}.xml`, Buffer.from(xml));
      expect(JSON.stringify(body['findings'])).toContain('LCOV');
      const { body: file } = await p.call('auditor', measure.getFile, { build, path: 'src/f.c' });
      expect(file.setAside.map(({ metric }) => metric)).toEqual(['line']);
      expect(file.coverage.line.found).toBeLessThan(5);
      expect(file.coverage.branch.found).toBe(2);
    });
    it('lines past the end of the source', async () => {
      const { build, c } = await measured();
      const answer = await load(build, `${c}.info`, info(`${all}DA:900,1\n`));
      expect(answer.problem.findings?.[0].text).toContain('line 900');
    });
    it('a function that was entered, though none of its lines ran', async () => {
      const { build, r, c } = await measured('SIL 1');
      const entered = info('DA:2,0\nDA:4,0\nDA:5,0\nDA:6,0\n');
      const { body } = await load(build, `${c}.info`, entered);
      expect(JSON.stringify(body['findings'])).toContain('none of its lines ran');
      expect(await knot(r, build)).toBe('broken');
      // A macro may be an honest reason: it counts once somebody says so, and that is kept.
      const said = 'The body is a macro of another file.';
      expect((await load(build, `${c}.info`, entered, `?accept=${encodeURIComponent(said)}`)).status).toBe(200);
      expect(await knot(r, build)).toBe('sound');
      const { body: list } = await p.call('auditor', measure.listUploads, { build });
      expect(list.rows.map(({ accepted }) => accepted).sort()).toEqual(['', said]);
    });
    it('a function that the source does not have', async () => {
      const { build, c, r } = await measured('SIL 1');
      await sources(build, `${source(r)}int x = 1;\n`, signed);
      const strange = Buffer.from(info(all).toString().replace('FN:2,f\nFNDA:1,f', 'FN:2,f\nFNDA:1,f\nFN:9,ghost\nFNDA:1,ghost'));
      const { body } = await load(build, `${c}.info`, strange);
      expect(JSON.stringify(body['findings'])).toContain('ghost: the source does not seem to have this function');
      const { body: file } = await p.call('auditor', measure.getFile, { build, path: 'src/f.c' });
      expect(file.coverage.function).toEqual({ found: 1, exercised: 1, credited: 1, justified: 0 });
    });
    it('another file’s coverage, led here by a rule for paths that nobody answers for', async () => {
      const { build, r, c } = await measured();
      const other = Buffer.from(info(all).toString().replace('/b/src/f.c', '/agent/tmp/x.c'));
      const rule = `?from=${encodeURIComponent('/agent/tmp/x.c')}&to=${encodeURIComponent('src/f.c')}`;
      expect((await load(build, `${c}.info`, other)).status).toBe(422);
      const preview = await load(build, `${c}.info`, other, `${rule}&preview=yes`);
      expect(preview.body['ruled']).toEqual([{ from: '/agent/tmp/x.c', to: 'src/f.c' }] as never);
      expect((await load(build, `${c}.info`, other, rule)).problem.fields?.[0].path).toBe('rulesReason');
      expect(await knot(r, build)).toBe('waiting');
      const why = 'The agent renames what it builds.';
      expect((await load(build, `${c}.info`, other, `${rule}&rulesReason=${encodeURIComponent(why)}`)).status).toBe(200);
      const { body: list } = await p.call('auditor', measure.listUploads, { build });
      expect(list.rows[0].rules).toEqual({ from: '/agent/tmp/x.c', to: 'src/f.c', ignoreCase: false, reason: why });
      expect([list.rows[0].matched, list.rows[0].points]).toEqual([1, 7]);
    });
    it('points on blank lines and in comments', async () => {
      const { build, r, c } = await measured();
      const more = await load(build, `${c}.info`, info(`${half}DA:1,1\nDA:8,1\nBRDA:8,0,0,9\nBRDA:8,0,1,9\n`));
      expect(JSON.stringify(more.body['findings'])).toContain('does not count');
      expect(await knot(r, build)).toBe('broken');
    });
    it('sums that contradict what was counted', async () => {
      const { build, c } = await measured();
      const answer = await load(build, `${c}.info`, info(`${half}LF:4\nLH:4\nBRF:2\nBRH:2\n`));
      expect(answer.problem.findings?.map((f) => f.text).join()).toContain('contradicts itself');
    });
    it('a file that is cut off, kept in part', async () => {
      const { build, r, c } = await measured();
      const cut = Buffer.concat([info(all), Buffer.from('TN:\nSF:/b/src/g.c\nDA:1,1\n')]);
      expect((await load(build, `${c}.info`, cut)).status).toBe(422);
      await load(build, `${c}.info`, cut, '?faults=keepGood');
      expect(await knot(r, build)).not.toBe('sound');
    });
    it('exchanging the sources after measuring', async () => {
      const { build, r, c } = await measured();
      await load(build, `${c}.info`, info(all));
      expect((await sources(build, source(r).replace('return 0', 'return 2'))).status).toBe(400);
      expect(await knot(r, build)).toBe('sound');
    });
    it('an upload that was withdrawn, or withdrawing one without a signature', async () => {
      const { build, r, c } = await measured();
      const key = String((await load(build, `${c}.info`, info(all))).body['upload']);
      const withdraw = { key, withdrawn: true, reason: 'wrong program', password };
      expect(code(await p.call('tester', measure.withdrawUpload, { ...withdraw, password: 'wrong' }))).toBe('signaturePassword');
      await p.call('tester', measure.withdrawUpload, withdraw);
      expect(await knot(r, build)).toBe('waiting');
    });
    it('“not in code” beside code that names it', async () => {
      const build = `5.${next()}`;
      await p.call('author', run.addBuild, { name: build, description: '' });
      const { r, c } = await proved();
      await sources(build, source(r));
      const key = await planned(c, { build });
      await record(key);
      await signBoth(key);
      expect(await knot(r, build)).toBe('broken');
    });
    it('a second function that was never loaded', async () => {
      const { build, r, c } = await measured();
      await load(build, `${c}.info`, info(all));
      const later = `4.${next()}`;
      await p.call('author', run.addBuild, { name: later, description: '' });
      const two = Buffer.from(zipSync({ 'src/f.c': Buffer.from(source(r)), 'src/g.c': Buffer.from(source(r).replace(' f(', ' g(')) }));
      await p.upload('author', `/builds/${later}/sources`, [{ name: 's.zip', bytes: two }]);
      const key = await planned(c, { build: later });
      await record(key);
      await signBoth(key);
      await load(later, `${c}.info`, info(all));
      expect(await knot(r, later)).toBe('waiting');
    });
    it('saying by hand that other code implements it, as a tester', async () => {
      const { build, r } = await measured();
      const trace = { build, path: 'src/f.c', unit: 'f', requirement: r, traced: true };
      expect(code(await p.call('tester', measure.traceCode, trace))).toBe('forbidden');
    });
    it('a packed file that is damaged, or grows without end', async () => {
      const { gzipSync } = await import('node:zlib');
      const { build, c } = await measured();
      const packed = gzipSync(info(all));
      packed[packed.length - 6] ^= 0xff;
      expect((await load(build, `${c}.info.gz`, packed)).problem.findings?.[0].text).toContain('check sum');
      const bomb = await load(build, `${c}.info.gz`, gzipSync(Buffer.alloc(64 << 20, 'DA:1,1\n')));
      expect(bomb.problem.findings?.[0].text).toContain('unpacks to more than');
    });
  });
});
