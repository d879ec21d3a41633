import * as base from '@contract/base';
import * as measure from '@contract/measure';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import { zipSync } from 'fflate';
import { openLies, type Lies } from './lies';
import { codeLies, type CodeLies } from './lies-code';
import { password } from './support';

/**
 * Attempts to get a sound cord, a higher figure or a signature that is not deserved. Each says what is refused, or what the cord says
 * instead: one that succeeds fails the build.
 */
describe('a lie about code that was exchanged:', () => {
  let p: Lies['p'];
  let next: Lies['next'];
  let requirement: Lies['requirement'];
  let aCase: Lies['aCase'];
  let planned: Lies['planned'];
  let record: Lies['record'];
  let signBoth: Lies['signBoth'];
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
    ({ p, next, requirement, aCase, planned, record, signBoth, code } = lies);
    ({ source, info, all, half, load, sources, signed, measured, knot } = codeLies(lies));
  });
  afterAll(() => p.close());

  describe('where the sources were exchanged,', () => {
    const moved = (r: string): string => `/* A line more. */\n${source(r)}`;
    const carry = (who: string, build: string, more = {}) =>
      p.call(who, measure.carryMeasured, {
        build,
        units: [{ path: 'src/f.c', unit: 'f' }],
        argument: 'Only a comment came before it.',
        password,
        ...more,
      });
    const reasons = async (r: string, build: string) => (await p.call('auditor', prove.getCord, { key: r, build })).body.reasons.measure;
    /** Measured, and then exchanged for a text in which f stands a line lower. */
    const exchanged = async (hits = all, text = moved) => {
      const found = await measured();
      const { body } = await load(found.build, `${found.c}.info`, info(hits));
      expect((await sources(found.build, text(found.r), signed)).status).toBe(200);
      return { ...found, upload: String(body['upload']) };
    };
    it('what was measured before, carried by whoever may not, without a password, or of a changed function', async () => {
      const { build, r } = await exchanged();
      expect(await knot(r, build)).toBe('waiting');
      expect((await carry('tester', build)).status).toBe(403);
      expect(code(await carry('reviewer', build, { password: 'not the password' }))).toBe('signaturePassword');
      expect(code(await carry('reviewer', build, { units: [{ path: 'src/f.c', unit: 'g' }] }))).toBe('stateForbids');
      const other = await exchanged(all, (key) => source(key).replace('return 0', 'return 2'));
      expect((await p.call('auditor', measure.offerCarries, { build: other.build })).body).toEqual({
        same: 0,
        changed: 1,
        rows: [{ path: 'src/f.c', unit: 'f', fromPath: 'src/f.c', state: 'changed', requirements: [other.r], measuredBy: [other.c] }],
      });
      expect(code(await carry('reviewer', other.build))).toBe('stateForbids');
      expect(await knot(other.r, other.build)).toBe('waiting');
    });
    it('it counts for that text, says so, and until it is withdrawn', async () => {
      const { build, r, c, upload } = await exchanged();
      const { body: offers } = await p.call('auditor', measure.offerCarries, { build });
      expect(offers).toEqual({
        same: 1,
        changed: 0,
        rows: [{ path: 'src/f.c', unit: 'f', fromPath: 'src/f.c', state: 'same', requirements: [r], measuredBy: [c] }],
      });
      const { body: made } = await carry('reviewer', build);
      expect(made).toEqual(jasmine.objectContaining({ state: 'stands', by: 'Person reviewer', build }));
      expect(await knot(r, build)).toBe('sound');
      expect((await reasons(r, build)).map(({ words }) => words).join()).toContain(`sources before: ${made.key}`);
      const { body: file } = await p.call('auditor', measure.getFile, { build, path: 'src/f.c' });
      expect(file.status).toBe('otherText');
      expect(file.units[0]).toEqual(jasmine.objectContaining({ name: 'f', start: 3, carried: made.key }));
      expect(file.lines.filter(({ state }) => state === 'credited').map(({ line }) => line)).toEqual([3, 5, 6, 7]);
      // Not twice, and nothing is left to be offered.
      expect((await p.call('auditor', measure.offerCarries, { build })).body.rows).toEqual([]);
      expect(code(await carry('reviewer', build))).toBe('stateForbids');
      // It rests on the upload, and on the text that it was signed for.
      const change = { key: upload, reason: 'The wrong program.', password };
      await p.call('tester', measure.withdrawUpload, { ...change, withdrawn: true });
      expect(await knot(r, build)).toBe('waiting');
      await p.call('tester', measure.withdrawUpload, { ...change, withdrawn: false });
      expect(await knot(r, build)).toBe('sound');
      await p.call('reviewer', measure.withdrawCarry, { key: made.key, reason: 'Seen wrongly.', password });
      expect(await knot(r, build)).toBe('waiting');
      await carry('reviewer', build);
      expect(await knot(r, build)).toBe('sound');
      await sources(build, `/* And one. */\n${moved(r)}`, signed);
      expect(await knot(r, build)).toBe('waiting');
    });
    it('half of it, carried as the whole', async () => {
      const { build, r } = await exchanged(half);
      await carry('reviewer', build);
      expect(await knot(r, build)).toBe('broken');
    });
    it('carried by the one who exchanged them', async () => {
      const { build } = await exchanged();
      await p.call('admin', base.setMember, { login: 'author', roles: ['author', 'reviewer'] });
      expect(code(await carry('author', build))).toBe('stateForbids');
      await p.call('admin', base.setMember, { login: 'author', roles: ['author'] });
    });
    it('a function that went to another file, measured there already by another case', async () => {
      const { build, r, c } = await measured();
      await load(build, `${c}.info`, info(half));
      const two = { 'src/f.c': Buffer.from('int g(void)\n{\n  return 1;\n}\n'), 'src/h.c': Buffer.from(source(r)) };
      await p.upload('author', `/builds/${build}/sources`, [{ name: 's.zip', bytes: Buffer.from(zipSync(two)) }], signed);
      const { body: offers } = await p.call('auditor', measure.offerCarries, { build });
      expect(offers.rows[0]).toEqual(jasmine.objectContaining({ path: 'src/h.c', fromPath: 'src/f.c', state: 'same' }));
      await carry('reviewer', build, { units: [{ path: 'src/h.c', unit: 'f' }] });
      expect(await knot(r, build)).toBe('broken');
      // What another case of the requirement measured on the text as it is now adds up with it.
      const second = await aCase([r]);
      const key = await planned(second, { build });
      await record(key);
      await signBoth(key);
      const rest = info('DA:2,1\nDA:4,1\nDA:5,1\nDA:6,0\nBRDA:4,0,0,0\nBRDA:4,0,1,1\n').toString().replace('f.c', 'h.c');
      await load(build, `${second}.info`, Buffer.from(rest));
      expect(await knot(r, build)).toBe('sound');
    });
    it('a part of a faulty file, carried as the whole', async () => {
      const { build, r, c } = await measured();
      const cut = Buffer.concat([info(all), Buffer.from('TN:\nSF:/b/src/g.c\nDA:1,1\n')]);
      await load(build, `${c}.info`, cut, '?faults=keepGood');
      await sources(build, moved(r), signed);
      await carry('reviewer', build);
      expect(await knot(r, build)).toBe('waiting');
      expect((await reasons(r, build)).map(({ words }) => words).join()).toContain('part');
    });
  });
  it('a trace by hand, taken along to a function that is another one now', async () => {
    const other = await requirement({ notInCode: false, notInCodeRationale: '' });
    const { build, r } = await measured();
    await p.call('author', measure.traceCode, { build, path: 'src/f.c', unit: 'f', requirement: other, traced: true, reason: 'Seen.' });
    const changed = `7.${next()}`;
    await p.call('author', run.addBuild, { name: changed, description: '' });
    const offers = async (name: string) => (await p.call('auditor', measure.offerTraces, { build: name })).body;
    expect(await offers(changed)).toEqual([]);
    await sources(changed, source(r).replace('return 0', 'return 2'));
    const { body: file } = await p.call('auditor', measure.getFile, { build: changed, path: 'src/f.c' });
    expect(file.units[0].requirements).not.toContain(other);
    const offer = {
      path: 'src/f.c',
      unit: 'f',
      requirement: other,
      from: build,
      by: 'author',
      reason: 'Seen.',
      state: 'changed' as const,
    };
    expect(await offers(changed)).toEqual([offer]);
    await p.call('author', measure.traceCode, {
      build: changed,
      path: 'src/f.c',
      unit: 'f',
      requirement: other,
      traced: true,
      reason: 'Again.',
    });
    expect(await offers(changed)).toEqual([]);
  });
});
