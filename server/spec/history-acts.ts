import * as base from '@contract/base';
import * as design from '@contract/design';
import * as measure from '@contract/measure';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { randomFrom } from '@core/design';
import { zipSync } from 'fflate';
import { path, pointsOfFunction, Story, type ToldCase, type ToldFunction, type ToldRequirement, type ToldRun } from './history';
import { caseContent, content, password, type Project } from './support';

const verdicts = { pass: 'passed', fail: 'failed', deviation: 'deviation', blocked: 'blocked' } as const;

/** One small project's worth of texts in the shared one, worked at by chance; what was done is told to a story. */
export class History {
  private readonly random: () => number;
  readonly story = new Story();
  readonly done = new Map<string, number>();

  constructor(
    private readonly p: Project,
    private readonly seed: number,
  ) {
    this.random = randomFrom(seed * 7919 + 1);
  }

  private pick<T>(of: readonly T[]): T {
    return of[this.random() % of.length];
  }
  private oneIn(n: number): boolean {
    return this.random() % n === 0;
  }
  private get build(): string {
    return this.pick(this.story.builds);
  }
  private aRun(which: (x: ToldRun) => boolean = () => true): ToldRun | undefined {
    const some = this.story.runs.filter(which);
    return some.length ? this.pick(some) : undefined;
  }

  async begin(): Promise<void> {
    const { p, story, seed } = this;
    for (const name of [`${seed}.0`, `${seed}.1`]) {
      await p.call('author', run.addBuild, { name, description: '' });
      story.builds.push(name);
    }
    for (let i = 0; i < 4; i++) await this.acts['addRequirement']();
    for (let i = 0; i < 4; i++) await this.acts['addCase']();
    for (const text of [...story.requirements, ...story.cases]) if (!this.oneIn(8)) await this.approve(text, 'reviewer');
    await this.exchange(story.builds[0]);
  }

  private async approve(text: ToldRequirement | ToldCase, who: string): Promise<number> {
    const before = await this.p.approve(text.key, who).then(
      () => 200,
      () => 400,
    );
    if (before === 200) this.story.approved(text, who);
    else if (text.state === 'draft') text.state = 'review';
    return before;
  }

  /** Asks for the runs that there are, and tells the story of those that it does not know. */
  private async seeRuns(): Promise<void> {
    for (const build of this.story.builds) {
      const { body } = await this.p.call('auditor', run.listRuns, { build, limit: 200, sort: 'key' });
      for (const { key, caseKey, caseRevision, row, configuration } of body.rows) {
        if (this.story.runs.some((x) => x.key === key)) continue;
        this.story.planned({
          key,
          caseKey,
          caseRevision,
          row,
          configuration,
          build,
        });
      }
    }
  }

  private text(): ToldFunction[] {
    const { requirements, texts } = this.story;
    const last = texts.at(-1);
    const before = this.random() % 3;
    return ['f', 'g'].map((name, i) => {
      const old = last?.[i];
      const text = old && !this.oneIn(3) ? old.text : this.random() % 90;
      const own = old ? old.requirements : [...new Set([this.pick(requirements).key, this.pick(requirements).key])];
      return { name, text, requirements: own, start: before + i * 7 + 2 };
    });
  }

  private async exchange(build: string): Promise<number> {
    const functions = this.text();
    const source =
      '/* Before. */\n'.repeat(functions[0].start - 2) +
      functions
        .map((f) => `/* @req ${f.requirements.join(', ')} */\nint ${f.name}(int x)\n{\n  if (x)\n    return ${f.text};\n  return 0;\n}\n`)
        .join('');
    const { status } = await this.p.upload(
      'author',
      `/builds/${build}/sources`,
      [{ name: 's.zip', bytes: Buffer.from(zipSync({ [path]: Buffer.from(source) })) }],
      { reason: 'Newer.', password },
    );
    if (status !== 200) return status;
    const same = this.story.texts.findIndex((known) => JSON.stringify(known) === JSON.stringify(functions));
    if (same < 0) this.story.texts.push(functions);
    this.story.sourcesOf.set(build, same < 0 ? this.story.texts.length - 1 : same);
    return status;
  }

  readonly acts: Readonly<Record<string, () => Promise<number>>> = {
    addRequirement: async () => {
      const { story, p } = this;
      if (story.requirements.length > 5) return 404;
      const parent = story.requirements.length && this.oneIn(2) ? this.pick(story.requirements).key : null;
      const facts = { level: this.pick(['SIL 2', 'SIL 3', 'SIL 3', 'SIL 1', 'SIL 4']), topLevel: !this.oneIn(5), notInCode: this.oneIn(6) };
      const { status, body } = await p.call('author', specify.addRequirement, {
        specification: 'BRK',
        parent,
        content: content('It', { ...facts, notInCodeRationale: facts.notInCode ? 'A lever.' : '' }),
      });
      if (status !== 200) return status;
      story.requirements.push({ key: body.key, revision: 1, state: 'draft', author: 'author', approvals: [], ...facts });
      if (parent) story.draw('parent', body.key, parent, 'author');
      return status;
    },
    addCase: async () => {
      const { story, p } = this;
      if (story.cases.length > 5) return 404;
      const verifies = [...new Set([this.pick(story.requirements).key, this.pick(story.requirements).key])];
      const { status, body } = await p.call('author', design.addCase, { content: caseContent('Shows it'), verifies });
      if (status !== 200) return status;
      story.cases.push({ key: body.key, revision: 1, state: 'draft', author: 'author', approvals: [], rows: [], everApproved: false });
      for (const key of verifies) story.draw('verifies', body.key, key, 'author');
      return status;
    },
    saveRequirement: async () => {
      if (!this.oneIn(3)) return 404;
      const text = this.pick(this.story.requirements);
      const facts = { level: this.pick(['SIL 2', 'SIL 3']), topLevel: !this.oneIn(5), notInCode: this.oneIn(6) };
      const { status } = await this.p.call('author', specify.saveRequirement, {
        key: text.key,
        basedOn: text.revision,
        reason: 'Clearer.',
        content: content(`It ${this.random()}`, { ...facts, notInCodeRationale: facts.notInCode ? 'A lever.' : '' }),
      });
      if (status !== 200) return status;
      this.story.revised(text, 'author');
      Object.assign(text, facts);
      return status;
    },
    saveCase: async () => {
      if (this.oneIn(2)) return 404;
      const text = this.pick(this.story.cases);
      const rows = this.oneIn(3) ? ['1', '2', '3'].slice(this.random() % 3) : [];
      const steps = rows.length ? [{ action: 'Wait {{t}}', expected: 'See' }] : caseContent('').steps;
      const { status } = await this.p.call('author', design.saveCase, {
        key: text.key,
        basedOn: text.revision,
        reason: 'Clearer.',
        content: {
          ...caseContent(`Shows ${this.random()}`),
          steps,
          ...(rows.length ? { rows: rows.map((name) => ({ name, values: { t: name } })) } : {}),
        },
      });
      if (status !== 200) return status;
      this.story.revised(text, 'author');
      text.rows = rows;
      return status;
    },
    approve: () => {
      const all = [...this.story.requirements, ...this.story.cases];
      const open = all.filter(({ state }) => state !== 'approved');
      return this.approve(this.pick(open.length && !this.oneIn(6) ? open : all), this.pick(['reviewer', 'both']));
    },
    addTrace: async () => {
      const kind = this.pick(['verifies', 'parent'] as const);
      const from = this.pick<ToldCase | ToldRequirement>(kind === 'verifies' ? this.story.cases : this.story.requirements).key;
      const to = this.pick(this.story.requirements).key;
      const { status } = await this.p.call('author', base.addTrace, { kind, from, to });
      if (status === 200) this.story.draw(kind, from, to, 'author');
      return status;
    },
    confirmTrace: async () => {
      const t = this.pick(this.story.traces);
      const id = await this.traceId(t);
      if (!id) return 404;
      const [fromRevision, toRevision] = [this.story.textOf(t.from)?.revision ?? 0, this.story.textOf(t.to)?.revision ?? 0];
      const who = this.pick(['reviewer', 'both', 'author']);
      const { status } = await this.p.call(who, base.confirmTrace, { id, reason: 'Still so.', fromRevision, toRevision });
      if (status === 200) Object.assign(t, { confirmedBy: who, fromRevision, toRevision });
      return status;
    },
    removeTrace: async () => {
      if (!this.oneIn(3)) return 404;
      const t = this.pick(this.story.traces);
      const id = await this.traceId(t);
      if (!id) return 404;
      const { status } = await this.p.call('author', base.removeTrace, { id, reason: 'Not so.' });
      if (status === 200) t.removed = true;
      return status;
    },
    plan: async () => {
      const cases = this.story.cases.filter(() => this.oneIn(2)).map(({ key }) => key);
      if (!cases.length) return 404;
      const round = { build: this.build, title: 'R', configuration: this.pick(['rig', 'rig', 'cold']), tester: 'tester', cases };
      const { status } = await this.p.call('author', run.addRound, { ...round, reason: 'Once more.' });
      await this.seeRuns();
      return status;
    },
    record: async () => {
      const x = this.aRun(({ finished }) => finished === null);
      if (!x) return 404;
      const verdict = this.oneIn(4) ? this.pick(['fail', 'deviation', 'blocked'] as const) : 'pass';
      const { body } = await this.p.call('tester', run.getRun, { key: x.key });
      for (let step = 1; step <= body.case.steps.length; step++)
        await this.p.call('tester', run.recordStep, { key: x.key, step, observed: 'seen', verdict, seconds: 1 });
      const { status } = await this.p.call('tester', run.finishRun, { key: x.key, seconds: 9 });
      if (status === 200) Object.assign(x, { finished: ++this.story.tick, verdict: verdicts[verdict] });
      return status;
    },
    correct: async () => {
      const x = this.aRun(({ finished, signatures, withdrawn }) => finished !== null && !signatures.length && !withdrawn);
      if (!x) return 404;
      const verdict = this.pick(['pass', 'fail'] as const);
      const { body } = await this.p.call('tester', run.getRun, { key: x.key });
      let last = 404;
      for (let step = 1; step <= body.case.steps.length; step++)
        last = (await this.p.call('tester', run.recordStep, { key: x.key, step, observed: 'seen', verdict, seconds: 1, reason: 'A slip.' }))
          .status;
      if (last !== 200) return last;
      // It was opened again by that: it is finished anew, and stands from then on.
      const { status } = await this.p.call('tester', run.finishRun, { key: x.key, seconds: 9 });
      Object.assign(x, status === 200 ? { finished: ++this.story.tick, verdict: verdicts[verdict] } : { finished: null, verdict: null });
      return status;
    },
    sign: async () => {
      const x = this.aRun(({ finished, signatures }) => finished !== null && (signatures.length < 2 || this.oneIn(9)));
      if (!x) return 404;
      let last = 404;
      for (const [who, meaning] of [
        ['tester', 'performed'],
        [this.pick(['reviewer', 'both']), 'reviewed'],
      ] as const) {
        const { body } = await this.p.call(who, run.getRun, { key: x.key });
        const acceptDeviation = this.oneIn(2);
        last = (
          await this.p.call(who, run.signRun, { key: x.key, meaning, password, hash: body.hash, acceptDeviation, reason: 'Harmless.' })
        ).status;
        if (last !== 200) continue;
        x.signatures.push({ meaning, login: who });
        if (meaning === 'reviewed' && acceptDeviation && x.verdict === 'deviation') x.deviationAccepted = true;
        if (this.oneIn(5)) break;
      }
      return last;
    },
    decide: async () => {
      const choice = this.pick([
        'carryOver',
        'carryOver',
        'rerun',
        'return',
        'acceptDeviation',
        'setAside',
        'withdraw',
        'bringBack',
      ] as const);
      const c = ({ caseKey }: ToldRun) => this.story.cases.find(({ key }) => key === caseKey) as ToldCase;
      const fits: Record<typeof choice, (x: ToldRun) => boolean> = {
        carryOver: (x) => x.finished !== null && x.caseRevision < c(x).revision && c(x).state === 'approved',
        rerun: (x) => x.finished !== null,
        return: (x) => x.finished !== null && this.oneIn(2),
        acceptDeviation: (x) => x.verdict === 'deviation' && x.signatures.length > 0,
        setAside: (x) => x.finished !== null && (x.row === null) === c(x).rows.length > 0,
        withdraw: (x) => !x.withdrawn && this.oneIn(3),
        bringBack: (x) => x.withdrawn,
      };
      // Mostly what may be done, by one who may; now and then anything by anybody.
      const x = this.aRun(this.oneIn(6) ? () => true : fits[choice]);
      if (!x) return 404;
      const who = this.oneIn(6) ? this.pick(['author', 'admin']) : choice === 'withdraw' || choice === 'bringBack' ? 'author' : 'reviewer';
      const { status } = await this.p.call(who, run.decideRun, { key: x.key, choice, reason: 'Because.', password });
      if (status !== 200) return status;
      if (choice === 'carryOver') x.carriedOverTo = this.story.textOf(x.caseKey)?.revision ?? 0;
      if (choice === 'return') x.returned = true;
      if (choice === 'acceptDeviation') x.deviationAccepted = true;
      if (choice === 'setAside') x.setAside = true;
      if (choice === 'withdraw') x.withdrawn = true;
      if (choice === 'bringBack') x.withdrawn = false;
      await this.seeRuns();
      return status;
    },
    addProblem: async () => {
      if (!this.oneIn(3)) return 404;
      const x = this.oneIn(2) ? this.aRun() : undefined;
      const build = x?.build ?? this.build;
      const requirements = [this.pick(this.story.requirements).key];
      const { status, body } = await this.p.call('tester', run.addProblem, {
        title: 'Odd',
        description: '',
        build,
        run: x?.key ?? null,
        requirements,
      });
      if (status === 200)
        this.story.problems.push({ key: body.key, build, run: body.run, open: true, fixedIn: null, requirements: body.requirements });
      return status;
    },
    saveProblem: async () => {
      if (!this.story.problems.length) return 404;
      const told = this.pick(this.story.problems);
      const { body } = await this.p.call('auditor', run.listProblems, { limit: 500 });
      const known = body.rows.find(({ key }) => key === told.key);
      if (!known) return 404;
      const state = this.pick(['open', 'closed', 'closed'] as const);
      const fixedIn = state === 'closed' ? this.pick([null, ...this.story.builds]) : null;
      const { key, revision: basedOn, title, description } = known;
      const change = { key, basedOn, title, description, blocking: true, stage: state, fixedIn, closedReason: 'Seen.', password };
      const { status } = await this.p.call('reviewer', run.saveProblem, change);
      if (status === 200) Object.assign(told, { open: state === 'open', fixedIn });
      return status;
    },
    load: async () => {
      const { story } = this;
      const x = this.oneIn(3) ? this.aRun() : undefined;
      const build = x?.build ?? this.build;
      const version = story.sourcesOf.get(build);
      if (version === undefined) return 404;
      const c = x
        ? { key: x.caseKey, revision: x.caseRevision }
        : this.pick(story.cases.filter(({ state }) => state === 'approved').concat(story.cases));
      const whole = !this.oneIn(3);
      const hits = new Map(
        story.texts[version].map(({ name }) => [name, new Set(pointsOfFunction.flatMap((_, i) => (whole || !this.oneIn(3) ? [i] : [])))]),
      );
      const lines = story.texts[version].flatMap(({ name, start }) => {
        const hit = (i: number): number => (hits.get(name)?.has(i) ? 1 : 0);
        return pointsOfFunction.map(([metric, line, b], i) =>
          metric === 'function'
            ? `FN:${start},${name}\nFNDA:${hit(i)},${name}`
            : metric === 'line'
              ? `DA:${start + line},${hit(i)}`
              : `BRDA:${start + line},0,${b},${hit(i)}`,
        );
      });
      const bytes = Buffer.from(`TN:\nSF:/b/${path}\n${lines.join('\n')}\nend_of_record\n`);
      const { status, body } = await this.p.upload('tester', `/builds/${build}/coverage${x ? `?run=${x.key}` : ''}`, [
        { name: `${c.key}.info`, bytes },
      ]);
      if (status !== 200) return status;
      const [bound] = (body as unknown as measure.LoadAnswer).bound;
      const caseRevision = x ? x.caseRevision : Number(/revision (\d+)/.exec(bound.to)?.[1]);
      story.load({ key: String(body['upload']), build, run: x?.key ?? null, caseKey: c.key, caseRevision, sources: version, hits });
      return status;
    },
    withdrawUpload: async () => {
      if (!this.story.uploads.length || !this.oneIn(2)) return 404;
      const u = this.pick(this.story.uploads);
      const change = { key: u.key, withdrawn: !u.withdrawn, reason: 'Wrong.', password };
      const { status } = await this.p.call('tester', measure.withdrawUpload, change);
      if (status === 200) u.withdrawn = !u.withdrawn;
      return status;
    },
    exchange: () => (this.oneIn(2) ? this.exchange(this.build) : Promise.resolve(404)),
    carry: async () => {
      const { story } = this;
      const build = this.build;
      const to = story.sourcesOf.get(build);
      if (to === undefined) return 404;
      const { body: offers } = await this.p.call('auditor', measure.offerCarries, { build });
      const units = offers.rows.filter(({ state }) => state === 'same').filter(() => !this.oneIn(3));
      if (!units.length) return 404;
      const before = new Set(units.map(({ unit }) => unit));
      const ask = { build, units: [...before].map((unit) => ({ path, unit })), argument: 'The same.', password };
      const { status, body } = await this.p.call('reviewer', measure.carryMeasured, ask);
      if (status !== 200) return status;
      const old = new Set(
        story.uploads.filter((u) => u.build === build && !u.withdrawn && !u.superseded && u.sources !== to).map((u) => u.sources),
      );
      for (const unit of before)
        for (const from of old) {
          const [then, now] = [from, to].map((version) => story.texts[version].find(({ name }) => name === unit));
          const told = story.carries.some((c) => c.build === build && !c.withdrawn && c.unit === unit && c.to === to && c.from === from);
          if (then?.text === now?.text && !told) story.carries.push({ key: body.key, build, unit, to, from, withdrawn: false });
        }
      return status;
    },
    withdrawCarry: async () => {
      const some = this.story.carries.filter((c) => !c.withdrawn);
      if (!some.length || !this.oneIn(3)) return 404;
      const { key } = this.pick(some);
      const { status } = await this.p.call('reviewer', measure.withdrawCarry, { key, reason: 'Wrong.', password });
      if (status === 200) for (const c of this.story.carries) if (c.key === key) c.withdrawn = true;
      return status;
    },
  };

  private async traceId(t: Story['traces'][number]): Promise<number | undefined> {
    const { body } = await this.p.call('auditor', base.getRecord, { key: t.from });
    return t.removed ? undefined : body.traces.find((known) => known.kind === t.kind && known.from === t.from && known.to === t.to)?.id;
  }

  async act(): Promise<void> {
    const often = ['approve', 'approve', 'record', 'record', 'sign', 'sign', 'plan', 'load', 'load', 'carry', 'decide', 'confirmTrace'];
    const name = this.pick([...Object.keys(this.acts), ...often, ...often]);
    const status = await this.acts[name]();
    if (status >= 500) throw new Error(`${name} failed`);
    if (status < 300) this.done.set(name, (this.done.get(name) ?? 0) + 1);
  }
}
