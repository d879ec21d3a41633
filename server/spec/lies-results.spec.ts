import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as base from '@contract/base';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import { usualPolicies } from '@core/prove';
import { Projector } from '../src/prove';
import { openLies, type Lies } from './lies';
import { codeLies, type CodeLies } from './lies-code';
import { unpacked } from './packs';
import { password } from './support';

/** Attempts to have a result of one build stand for another where it does not. One that succeeds fails the build. */
describe('a lie about results of another build:', () => {
  let p: Lies['p'];
  let next: Lies['next'];
  let planned: Lies['planned'];
  let record: Lies['record'];
  let signBoth: Lies['signBoth'];
  let decide: Lies['decide'];
  let revise: Lies['revise'];
  let code: Lies['code'];
  let cord: Lies['cord'];
  let source: CodeLies['source'];
  let info: CodeLies['info'];
  let all: CodeLies['all'];
  let load: CodeLies['load'];
  let sources: CodeLies['sources'];
  let signed: CodeLies['signed'];
  let measured: CodeLies['measured'];
  const allow = async (carryResultsAt: string[]): Promise<void> => {
    const { body } = await p.call('admin', base.getProject, {});
    const policies = { ...usualPolicies(body.profile.reviewAt), observationAt: [], carryResultsAt };
    const { status } = await p.call('admin', base.setProfile, {
      basedOn: body.revision,
      profile: { ...body.profile, policies },
      reason: 'Results may be carried.',
      password,
    } as never);
    expect(status).toBe(200);
  };
  beforeAll(async () => {
    const lies = await openLies();
    ({ p, next, planned, record, signBoth, decide, revise, code, cord } = lies);
    ({ source, info, all, load, sources, signed, measured } = codeLies(lies));
    await allow(['SIL 2']);
  });
  afterAll(() => p.close());

  const offers = async (from: string, to: string) => (await p.call('auditor', run.offerResults, { from, to })).body;
  const whyNot = async (from: string, to: string, key: string) => (await offers(from, to)).rows.find((row) => row.run === key)?.why;
  const carry = (who: string, from: string, to: string, runs: string[], more = {}) =>
    p.call(who, run.carryResults, { from, to, runs, argument: 'Nothing of it changed.', password, ...more });
  const knot = async (r: string, build: string): Promise<string> => (await cord(r, build))['run'];
  const reasons = async (r: string, build: string) => (await p.call('auditor', prove.getCord, { key: r, build })).body.reasons.run;
  const g = (text: string): string => `${text}int g(void)\n{\n  return 1;\n}\n`;
  /** A proved and measured requirement on one build, and a later build with other sources. */
  const two = async (text = (r: string) => g(source(r)), level = 'SIL 2', hits = true) => {
    const found = await measured(level);
    if (hits) await load(found.build, `${found.c}.info`, info(all));
    const to = `7.${next()}`;
    await p.call('author', run.addBuild, { name: to, description: '' });
    await sources(to, text(found.r));
    return { ...found, from: found.build, to };
  };

  it('carried by whoever may not, without a password, by its tester, of a run that is none', async () => {
    const { from, to, key } = await two();
    expect(await whyNot(from, to, key)).toEqual([]);
    expect((await carry('tester', from, to, [key])).status).toBe(403);
    expect((await carry('auditor', from, to, [key])).status).toBe(403);
    expect(code(await carry('reviewer', from, to, [key], { password: 'not the password' }))).toBe('signaturePassword');
    expect(code(await carry('reviewer', from, to, ['RUN-9999']))).toBe('stateForbids');
    expect(code(await carry('reviewer', from, from, [key]))).toBe('invalid');
    await p.call('admin', base.setMember, { login: 'tester', roles: ['tester', 'reviewer'] });
    expect(code(await carry('tester', from, to, [key]))).toBe('stateForbids');
    await p.call('admin', base.setMember, { login: 'tester', roles: ['tester'] });
  });

  it('a function that it hit is another, or something beside the functions of its file, or nothing was measured', async () => {
    const other = await two((r) => source(r).replace('return 0', 'return 2'));
    expect(await whyNot(other.from, other.to, other.key)).toEqual(['it hit f in src/f.c, which changed']);
    expect(code(await carry('reviewer', other.from, other.to, [other.key]))).toBe('stateForbids');
    const beside = await two((r) => `#define LIMIT 5\n${source(r)}`);
    expect(await whyNot(beside.from, beside.to, beside.key)).toEqual(['it hit src/f.c, which changed outside its functions']);
    const blind = await two(undefined, 'SIL 2', false);
    expect(await whyNot(blind.from, blind.to, blind.key)).toEqual(['nothing measured tells which code its case reaches']);
    expect(code(await carry('reviewer', blind.from, blind.to, [blind.key]))).toBe('stateForbids');
    const same = await two(source, 'SIL 2', false);
    expect(await whyNot(same.from, same.to, same.key)).toEqual([]);
  });

  it('it stands for the other build, says so, and until it is withdrawn', async () => {
    const { from, to, key, r } = await two();
    expect(await knot(r, to)).toBe('waiting');
    const { body: made } = await carry('reviewer', from, to, [key]);
    expect(made).toEqual(jasmine.objectContaining({ state: 'stands', by: 'Person reviewer', build: to, from }));
    expect(made.functions.map(({ name, what }) => `${name} ${what}`)).toEqual(['g added']);
    expect(made.runs[0]).toEqual(jasmine.objectContaining({ run: key, functionsHit: 1, requirements: [{ key: r, revision: 1 }] }));
    expect(await knot(r, to)).toBe('sound');
    expect((await reasons(r, to)).map(({ words }) => words).join()).toContain(`carried from ${from}: ${made.key}`);
    expect(await whyNot(from, to, key)).toEqual(['it is carried already']);
    expect(code(await carry('reviewer', from, to, [key]))).toBe('stateForbids');
    await p.call('reviewer', run.withdrawCarriedResults, { key: made.key, reason: 'Seen wrongly.', password });
    expect(await knot(r, to)).toBe('waiting');
    expect(code(await p.call('reviewer', run.withdrawCarriedResults, { key: made.key, reason: 'Again.', password }))).toBe('stateForbids');
  });

  it('carried on to a third build: from where it was run, which the offers of the second name', async () => {
    const { from, to, key, r } = await two();
    await carry('reviewer', from, to, [key]);
    const third = `7.${next()}`;
    await p.call('author', run.addBuild, { name: third, description: '' });
    await sources(third, g(source(r)));
    const second = await offers(to, third);
    expect([second.rows.find((row) => row.run === key), second.earlier]).toEqual([undefined, [{ build: from, results: 1 }]]);
    expect(code(await carry('reviewer', to, third, [key]))).toBe('stateForbids');
    expect((await offers(from, third)).earlier).toEqual([]);
    expect((await carry('reviewer', from, third, [key])).status).toBe(200);
    expect(await knot(r, third)).toBe('sound');
  });

  it('what it rests on changes on the build that it is of', async () => {
    const { from, to, key, r, c } = await two();
    await carry('reviewer', from, to, [key]);
    expect(await knot(r, to)).toBe('sound');
    await decide(key, 'reviewer', 'return');
    expect(await knot(r, to)).toBe('broken');
    const again = await planned(c, { build: from, reason: 'Once more.' });
    await record(again, 'fail');
    expect((await reasons(r, to)).map(({ words }) => words).join()).toContain('does not stand there any more');
    const gone = await two();
    await carry('reviewer', gone.from, gone.to, [gone.key]);
    expect((await decide(gone.key, 'reviewer', 'withdraw')).status).toBe(200);
    expect(await knot(gone.r, gone.to)).toBe('waiting');
  });

  it('what it was said of changes on the build that it is for', async () => {
    const { from, to, key, r, c } = await two();
    await carry('reviewer', from, to, [key]);
    await sources(to, g(g(source(r)).replace('int g(void)', 'int h(void)')), signed);
    expect((await reasons(r, to)).map(({ words }) => words).join()).toContain(`to other sources than ${to} has now`);
    expect(await knot(r, to)).toBe('suspect');
    await revise(c);
    expect(await knot(r, to)).not.toBe('sound');
  });

  it('run and failed there: what was carried does not hide it', async () => {
    const { from, to, key, r, c } = await two();
    const late = await planned(c, { build: to });
    await carry('reviewer', from, to, [key]);
    expect(await knot(r, to)).toBe('sound');
    await record(late, 'fail');
    expect(await knot(r, to)).toBe('broken');
    const other = await two();
    const first = await planned(other.c, { build: other.to });
    await record(first, 'fail');
    expect(await whyNot(other.from, other.to, other.key)).toEqual(['it was run on the later build']);
    expect(code(await carry('reviewer', other.from, other.to, [other.key]))).toBe('stateForbids');
    expect(await knot(other.r, other.to)).toBe('broken');
  });

  it('at a level, or of a revision, at which it may not', async () => {
    const high = await two(undefined, 'SIL 3');
    expect(await whyNot(high.from, high.to, high.key)).toEqual(['the project does not allow it at SIL 3']);
    const revised = await two();
    await revise(revised.c);
    await p.approve(revised.c);
    expect(await whyNot(revised.from, revised.to, revised.key)).toEqual(['its case was revised']);
    const later = await two();
    await carry('reviewer', later.from, later.to, [later.key]);
    await allow([]);
    expect(await knot(later.r, later.to)).toBe('waiting');
    expect((await reasons(later.r, later.to)).map(({ words }) => words).join()).toContain('not allowed at SIL 2');
    await allow(['SIL 2']);
    expect(await knot(later.r, later.to)).toBe('sound');
  });

  it('of another configuration than those that the later build plans', async () => {
    const { from, to, key, c } = await two();
    const late = await planned(c, { build: to, configuration: 'rig, cold' });
    expect(await whyNot(from, to, key)).toEqual(['its case is planned there in other configurations']);
    await decide(late, 'author', 'withdraw');
    await planned(c, { build: to });
    expect(await whyNot(from, to, key)).toEqual([]);
  });

  it('a run that does not pass, or that its tester never signed', async () => {
    const { from, to, key, c } = await two();
    const again = await planned(c, { build: from, reason: 'Once more.' });
    await record(again);
    expect(await whyNot(from, to, key)).toBeUndefined();
    expect(await whyNot(from, to, again)).toEqual(['it is not signed by its tester']);
    await signBoth(again);
    expect(await whyNot(from, to, again)).toEqual([]);
    await decide(again, 'reviewer', 'return');
    expect(await whyNot(from, to, again)).toEqual(['it does not pass']);
  });

  it('left out of the proof: the pack holds the run, its statement and the text that was signed', async () => {
    const { from, to, key } = await two();
    const { body: made } = await carry('reviewer', from, to, [key]);
    const folder = mkdtempSync(join(tmpdir(), 'cord-carried-'));
    const pack = await unpacked(p, to, folder);
    const read = (name: string): string => readFileSync(join(pack, name), 'utf8');
    const [statement] = JSON.parse(read('runs/carried.json')) as run.CarriedResults[];
    expect([statement.key, statement.from, statement.runs[0].run]).toEqual([made.key, from, key]);
    const digest = (name: string): string =>
      createHash('sha256')
        .update(readFileSync(join(pack, name)))
        .digest('hex');
    expect(digest(`runs/${key}/record.json`)).toBe(statement.runs[0].hash);
    const line = read('signatures.tsv')
      .split('\n')
      .map((text) => text.split('\t'))
      .find((cells) => cells[5] === made.key);
    expect(line?.[4]).toBe('results carried');
    expect(digest(line?.[0] ?? '')).toBe(line?.[1] ?? '');
    expect(JSON.parse(read(line?.[0] ?? '')).content.runs[0].run).toBe(key);
    const caseKey = statement.runs[0].case;
    expect(read(`cases/${caseKey}.html`)).toContain(`of another build, carried to this one by ${made.key}`);
    rmSync(folder, { recursive: true, force: true });
  });

  it('its record or the statement, changed behind the ledger', async () => {
    const { from, to, key, r } = await two();
    const { body: made } = await carry('reviewer', from, to, [key]);
    expect(await knot(r, to)).toBe('sound');
    const [id] = (await p.owner.query(
      `select id from ${p.name}.builds where id = (select build_id from ${p.name}.run_carries c join ${p.name}.records r on r.id = c.id where r.record_key = '${made.key}')`,
    )) as unknown as [{ id: number }[]];
    const buildId = Number(id[0].id);
    await p.owner.query(
      `update ${p.name}.run_carries c join ${p.name}.records r on r.id = c.id set c.runs = replace(c.runs, '"hash":"', '"hash":"0') where r.record_key = '${made.key}'`,
    );
    const projector = new Projector(p.database.db, () => new Date());
    await projector.forget(buildId);
    await projector.want(p.projectId, buildId);
    await projector.bring(p.projectId, buildId);
    expect((await cord(r, to))['prove']).toBe('broken');
  });
});
