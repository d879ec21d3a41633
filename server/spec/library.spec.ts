import { strFromU8, unzipSync } from 'fflate';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as base from '@contract/base';
import * as design from '@contract/design';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import { readCaseFile } from '@core/design';
import { verifyLedger } from '../src/base';
import { boundariesBehind, bringBoundaries } from '../src/design';
import { caseContent, content, openProject, password, type Project } from './support';

const png = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64');

describe('The library of cases', () => {
  let p: Project;
  const add = async (title: string, more: object = {}, verifies: string[] = []): Promise<string> => {
    const made = await p.call('author', design.addCase, { content: caseContent(title, more), verifies });
    if (made.status !== 200) throw new Error(made.problem.detail ?? made.problem.title);
    return made.body.key;
  };
  const get = async (key: string) => (await p.call('auditor', design.getCase, { key })).body;
  const folders = async () => (await p.call('auditor', design.listFolders, {})).body;
  beforeAll(async () => {
    p = await openProject();
    for (const [title, text] of [
      ['Closes', 'The brake shall close within 120 ms.'],
      ['Opens', 'The brake shall open at a pressure of at least 3.0 bar.'],
      ['Shows', 'The lamp shall be green.'],
    ])
      await p.call('author', specify.addRequirement, {
        specification: 'BRK',
        under: null,
        parent: null,
        content: content(title, { text }),
      });
  });
  afterAll(() => p.close());

  it('stands in folders of any depth, moved and counted; what is not empty is not retired', async () => {
    const folder = async (title: string, under: string | null = null) => (await p.call('author', design.addFolder, { title, under })).body;
    const brake = await folder('Brake');
    const cold = await folder('Cold', brake.key);
    const doors = await folder('Doors');
    const [a, b] = [await add('Cold start'), await add('Warm start')];
    expect((await p.call('author', design.fileCases, { cases: [a, b], folder: cold.key })).body.moved).toBe(2);
    const shown = async () => (await folders()).folders.map((f) => [f.title, f.under, f.cases]);
    expect(await shown()).toEqual([
      ['Brake', null, 2],
      ['Cold', brake.key, 2],
      ['Doors', null, 0],
    ]);
    expect((await get(a)).folder).toEqual({ key: cold.key, title: 'Cold' });
    const move = (key: string, basedOn: number, title: string, under: string | null, after?: string | null) =>
      p.call('author', design.saveFolder, { key, basedOn, title, description: '', under, ...(after === undefined ? {} : { after }) });
    expect((await move(brake.key, 1, 'Brake', cold.key)).status).toBe(409);
    expect((await move(doors.key, 1, 'Doors', null, null)).status).toBe(200);
    expect((await shown()).map(([title]) => title)).toEqual(['Doors', 'Brake', 'Cold']);
    expect((await move(cold.key, 1, 'doors', null)).problem.code).toBe('exists');
    expect((await p.call('author', design.removeFolder, { key: brake.key })).status).toBe(409);
    expect((await p.call('author', design.removeFolder, { key: doors.key })).status).toBe(200);
    const inCold = await p.call('auditor', design.listCases, { filter: JSON.stringify({ field: 'folder', is: [cold.key] }), limit: 10 });
    expect(inCold.body.rows.map((r) => r.key)).toEqual([a, b]);
    expect((await p.call('tester', design.addFolder, { title: 'X', under: null })).status).toBe(403);
  });

  it('keeps what a case has beside its steps, cleans layouts, finds by it, and signs all of it', async () => {
    const key = await add(
      'Measured',
      {
        tags: ['cold'],
        priority: 'high',
        kind: 'hardware',
        postconditions: 'Brake open',
        steps: [
          {
            action: 'old',
            expected: 'Closed',
            layout: { action: '<p>Close <strong>now</strong><script>x</script></p>' },
            readings: [{ name: 'time', unit: 'ms', resolution: 1, limits: 'at most 120 ms' }],
            evidence: 'picture',
          },
        ],
      },
      ['BRK-001'],
    );
    const c = await get(key);
    expect(c.steps[0]).toEqual(jasmine.objectContaining({ action: 'Close now', layout: { action: '<p>Close <strong>now</strong></p>' } }));
    expect(c.verified.map((r) => r.text)).toEqual(['The brake shall close within 120 ms.']);
    const found = async (filter: object) =>
      (await p.call('auditor', design.listCases, { filter: JSON.stringify(filter), limit: 10 })).body.rows.map((r) => r.key);
    for (const filter of [
      { field: 'tags', is: ['cold'] },
      { field: 'kind', is: ['hardware'] },
      { field: 'priority', is: ['high'] },
      { field: 'requirement', is: ['BRK-001'] },
      { field: 'level', is: ['SIL 2'] },
    ])
      expect(await found(filter))
        .withContext(JSON.stringify(filter))
        .toContain(key);
    expect(await found({ field: 'level', is: ['SIL 4'] })).toEqual([]);
    expect((await p.call('author', design.addCase, { content: caseContent('x', { kind: 'spaceship' }), verifies: [] })).status).toBe(400);
    await p.approve(key);
    expect((await get(key)).signatures.map((s) => s.format)).toEqual([5]);
  });

  it('refuses to pass what was not shown: readings, pictures, words where the reading says otherwise', async () => {
    const key = (await p.call('auditor', design.listCases, { filter: JSON.stringify({ words: 'Measured' }), limit: 1 })).body.rows[0].key;
    const planned = await p.call('author', run.addRound, {
      title: 'R',
      build: '1.0',
      configuration: 'rig',
      tester: 'tester',
      cases: [key],
    });
    const { key: at } = planned.body.items[0];
    const record = (readings: { name: string; value: string }[], observed = 'Seen.', verdict: 'pass' | 'fail' = 'pass') =>
      p.call('tester', run.recordStep, { key: at, step: 1, observed, verdict, seconds: 1, readings });
    const paths = async (...asked: Parameters<typeof record>) => ((await record(...asked)).problem.fields ?? []).map((f) => f.path);
    expect(await paths([])).toEqual(['readings', 'evidence']);
    expect(await paths([{ name: 'time', value: 'soon' }])).toEqual(['readings', 'evidence']);
    await p.upload('tester', `/runs/${at}/steps/1/evidence`, [{ name: 'a.png', bytes: png, mime: 'image/png' }]);
    expect(await paths([{ name: 'time', value: '125' }], '')).toEqual(['observed']);
    expect((await record([{ name: 'time', value: '125' }], 'Timer checked: it counts from the button.')).status).toBe(200);
    expect((await record([{ name: 'time', value: '119,5' }])).body.result.readings).toEqual([{ name: 'time', value: '119,5' }]);
    const finished = await p.call('tester', run.finishRun, { key: at, seconds: 60 });
    expect(finished.body.verdict).toBe('passed');
    const signed = await p.call('tester', run.signRun, { key: at, meaning: 'performed', hash: finished.body.hash, password });
    expect([signed.status, signed.body.signatures.every((s) => s.matches)]).toEqual([200, true]);
    expect((await p.call('auditor', design.getCaseUses, { key })).body.took).toEqual({ median: 1, runs: 1 });
  });

  it('names what cases depend on, refuses circles, and plans what they rest on first', async () => {
    const first = await add('Power on');
    const second = await add('Start', { dependsOn: [first] });
    expect(
      (await p.call('author', design.saveCase, { key: first, basedOn: 1, content: caseContent('Power on', { dependsOn: [second] }) }))
        .problem.detail,
    ).toContain(`${first} → ${second} → ${first}`);
    expect((await p.call('author', design.addCase, { content: caseContent('x', { dependsOn: ['C-999'] }), verifies: [] })).status).toBe(
      400,
    );
    expect((await p.call('auditor', design.getCaseUses, { key: first })).body.dependents.map((d) => d.key)).toEqual([second]);
    for (const key of [first, second]) await p.approve(key);
    const round = await p.call('author', run.addRound, {
      title: 'In order',
      build: '1.0',
      configuration: 'rig',
      tester: 'tester',
      cases: [second, first],
    });
    expect(round.body.items.map((r) => r.caseKey)).toEqual([first, second]);
    const [a, b] = round.body.items;
    await p.call('tester', run.recordStep, { key: a.key, step: 1, observed: 'dark', verdict: 'fail', seconds: 1 });
    await p.call('tester', run.finishRun, { key: a.key, seconds: 1 });
    expect((await p.call('auditor', run.getRun, { key: b.key })).body.restsOn).toEqual([{ key: first, standing: 'failed', run: a.key }]);
  });

  it('tells where a case is called, and lets callers take its newer revision together', async () => {
    const called = await add('Prepare');
    const call = { steps: [{ action: '', expected: '', call: { key: called, revision: 1, with: {} } }] };
    const callers = [await add('One', call), await add('Two', call)];
    await p.call('author', design.saveCase, {
      key: called,
      basedOn: 1,
      content: caseContent('Prepare', { steps: [{ action: 'Prepare twice', expected: 'Ready' }] }),
    });
    const uses = (await p.call('auditor', design.getCaseUses, { key: called })).body;
    expect(uses.callers.map((c) => [c.key, c.revision, c.newer])).toEqual(callers.map((key) => [key, 1, true]));
    expect((await p.call('author', design.takeCalled, { key: called, revision: 1, callers })).status).toBe(409);
    const taken = await p.call('author', design.takeCalled, { key: called, revision: 2, callers });
    expect(taken.body.callers.map((c) => [c.revision, c.newer])).toEqual([
      [2, false],
      [2, false],
    ]);
    expect((await get(callers[0])).revision).toBe(2);
  });

  it('puts cases together, which then verify as a whole: each is traced to what the group verifies', async () => {
    const keys = [await add('Lamp on'), await add('Lamp off')];
    const made = await p.call('author', design.addGroup, {
      title: 'Lamp',
      purpose: 'All of the lamp',
      cases: keys,
      requirements: ['BRK-003'],
    });
    expect([made.body.key, made.body.members.map((m) => m.key), made.body.requirements]).toEqual(['G-001', keys, ['BRK-003']]);
    for (const key of keys) expect((await get(key)).verifies.map((t) => t.to)).toEqual(['BRK-003']);
    const save = await p.call('author', design.saveGroup, {
      key: 'G-001',
      basedOn: 1,
      title: 'Lamp',
      purpose: '',
      cases: [keys[1], keys[0]],
      requirements: [],
    });
    expect([save.body.members.map((m) => m.key), save.body.requirements]).toEqual([[keys[1], keys[0]], []]);
    expect(
      (await p.call('author', design.saveGroup, { key: 'G-001', basedOn: 1, title: 'x', purpose: '', cases: [], requirements: [] })).status,
    ).toBe(409);
    const inGroup = await p.call('auditor', design.listCases, { filter: JSON.stringify({ field: 'group', is: ['G-001'] }), limit: 10 });
    expect(inGroup.body.rows.map((r) => r.key).sort()).toEqual([...keys].sort());
  });

  it('replaces words in many cases, previewed, and taken back as one', async () => {
    const selection = { kind: 'case' as const, filter: JSON.stringify({ words: 'lamp' }) };
    const act = { act: 'replace' as const, find: 'Lamp', replace: 'Signal', sameCase: true, wholeWords: true };
    const preview = (await p.call('author', base.previewBulk, { selection, act, reason: '' })).body;
    expect(preview.items.filter((i) => i.outcome === 'open').every((i) => i.words.includes('“Lamp” → “Signal”'))).toBeTrue();
    const done = await p.call('author', base.doBulk, { selection, act, reason: '', digest: preview.digest });
    expect(done.body.done).toBe(preview.changed);
    const titles = async () =>
      (await p.call('auditor', design.listCases, { filter: JSON.stringify({ words: 'Signal' }), limit: 10 })).body.rows.map((r) => r.title);
    expect((await titles()).sort()).toEqual(['Signal off', 'Signal on']);
    expect((await p.call('author', base.undoBulk, { id: done.body.id })).status).toBe(200);
    expect(await titles()).toEqual([]);
  });

  it('drafts cases from a part of a specification, once', async () => {
    const scope = { specification: 'BRK', under: null, choices: [{ key: 'BRK-002', grain: 'case' as const }] };
    const plan = (await p.call('author', design.planDrafts, scope)).body;
    expect(plan.grains.map((g) => [g.key, g.grain, g.chosen])).toEqual([
      ['BRK-001', 'rows', false],
      ['BRK-002', 'case', true],
      ['BRK-003', 'case', false],
    ]);
    expect([plan.make.map((d) => d.draft), plan.skipped.map((s) => s.why)]).toEqual([
      ['BRK-002'],
      ['made by hand', 'made by hand', 'made by hand', 'made by hand'],
    ]);
    expect((await p.call('author', design.makeDrafts, { ...scope, digest: 'x'.repeat(64) })).status).toBe(409);
    const made = await p.call('author', design.makeDrafts, { ...scope, digest: plan.digest });
    expect(made.body.written.length).toBe(1);
    expect((await get(made.body.written[0])).verifies.map((t) => t.to)).toEqual(['BRK-002']);
    const again = (await p.call('author', design.planDrafts, scope)).body;
    expect([again.make.length, again.outdated.length]).toEqual([0, 0]);
    await p.call('author', specify.saveRequirement, {
      key: 'BRK-002',
      basedOn: 1,
      content: content('Opens', { text: 'The brake shall open at a pressure of at least 3.5 bar.' }),
    });
    expect((await p.call('author', design.planDrafts, scope)).body.outdated.map((o) => o.case)).toEqual(made.body.written);
  });

  it('reads cases from tables with a mapping that is remembered, all or nothing, and writes them as files', async () => {
    const text = 'What;Do;See;Proves\nFast stop;Press stop;Rope stands within 2 s;BRK-001\n;Wait 5 s;Brake closed;\n'.replaceAll(';', '\t');
    const columns = { title: 0, action: 1, expected: 2, verifies: 3 };
    expect((await p.call('author', design.previewCaseImport, { text })).body.findings.length).toBeGreaterThan(0);
    const preview = (await p.call('author', design.previewCaseImport, { text, columns })).body;
    expect([preview.total, preview.findings, preview.cases[0].steps]).toEqual([1, [], 2]);
    const done = await p.call('author', design.importCases, { text, columns, digest: preview.digest, fileName: 'a.tsv' });
    expect(done.body.written.length).toBe(1);
    expect((await p.call('author', design.previewCaseImport, { text: text.replace('Fast stop', 'Other') })).body).toEqual(
      jasmine.objectContaining({ remembered: true, columns }),
    );
    const wrong = text.replace('BRK-001', 'BRK-777');
    const refused = (await p.call('author', design.previewCaseImport, { text: wrong, columns })).body;
    expect(refused.findings).toEqual([jasmine.objectContaining({ row: 2, cell: 'verifies', severity: 'error' })]);
    expect((await p.call('author', design.importCases, { text: wrong, columns, digest: refused.digest, fileName: '' })).problem.code).toBe(
      'importErrors',
    );

    const document = async (query: string) =>
      p.app.inject({ url: `/api/projects/spec/cases/document?${query}`, headers: { cookie: await p.cookie('auditor') } });
    const file = readCaseFile((await document(`format=json&cases=${done.body.written[0]},C-003`)).body);
    expect([file.findings, file.cases.map((c) => c.key)]).toEqual([[], [done.body.written[0], 'C-003']]);
    const back = (await p.call('author', design.previewCaseImport, { text: (await document('format=json&cases=C-003')).body })).body;
    const again = await p.call('author', design.importCases, {
      text: (await document('format=json&cases=C-003')).body,
      digest: back.digest,
      fileName: 'c.json',
    });
    const { key: _, ...before } = file.cases[1];
    expect(readCaseFile((await document(`format=json&cases=${again.body.written[0]}`)).body).cases[0].content).toEqual(before.content);
    const xml = strFromU8(unzipSync(new Uint8Array((await document('format=docx')).rawPayload))['word/document.xml']);
    for (const part of ['Fast stop', 'Rope stands within 2 s', 'at most 120 ms', 'Verifies']) expect(xml).toContain(part);
    const folder = mkdtempSync(join(tmpdir(), 'cord-cases-'));
    writeFileSync(join(folder, 'c.pdf'), (await document('format=pdf')).rawPayload);
    expect(execFileSync('pdftotext', ['-layout', join(folder, 'c.pdf'), '-']).toString()).toContain('Fast stop');
    expect((await document('format=html&traces=without')).body).not.toContain('<dt>Verifies');
    expect((await p.app.inject({ url: '/api/case-file-schema.json' })).json()).toEqual(
      jasmine.objectContaining({ title: 'Verification cases' }),
    );
  });

  it('says whether there are enough cases, which limits have none, and which cases suffice', async () => {
    const all = (await p.call('auditor', design.getSufficiency, { specification: 'BRK', build: '1.0' })).body;
    expect([all.requirements, all.boundaries.of]).toEqual([3, 6]);
    const limits = (await p.call('auditor', design.getBoundaries, { key: 'BRK-001' })).body.points;
    expect(limits.map((point) => [point.value, point.case])).toEqual([
      [119, null],
      [120, null],
      [121, null],
    ]);
    expect(all.rows.find((r) => r.rule === 'boundaries' && r.key === 'BRK-001')?.words).toContain('0 of 3 stand');
    const only = (await p.call('auditor', design.getSufficiency, { rule: 'neverRun', limit: 1 })).body;
    expect([only.rows.length, only.total > 1]).toEqual([1, true]);
    const fewest = (await p.call('auditor', design.selectCases, { specification: 'BRK', build: '1.0' })).body;
    expect([fewest.covered, fewest.proved, fewest.cases.length]).toEqual([fewest.of, true, 1]);
    expect(fewest.without).toContain('BRK-002');
  });

  it('finds requirements by the boundaries that no case stands at, whichever of text, case or trace changed', async () => {
    const { db } = p.database;
    const filter = JSON.stringify({ field: 'openBoundaries', from: 1 });
    const open = async (): Promise<string[]> => {
      await bringBoundaries(db, p.projectId);
      expect(await boundariesBehind(db)).not.toContain(p.projectId);
      const { rows } = (await p.call('auditor', specify.listRequirements, { filter, sort: 'key' })).body;
      // The list says what a look at each requirement says.
      for (const { key } of rows) {
        const { points } = (await p.call('auditor', design.getBoundaries, { key })).body;
        expect(points.some((point) => point.case === null))
          .withContext(key)
          .toBe(true);
      }
      return rows.map(({ key }) => key).filter((key) => key.startsWith('BRK-') || key.startsWith('LIM-'));
    };
    await p.call('author', specify.addSpecification, { key: 'LIM', title: 'Limits', prefix: 'LIM' });
    const text = 'The door shall open within 8 s.';
    const asked = { specification: 'LIM', under: null, parent: null, content: content('Opens', { text }) };
    const { key } = (await p.call('author', specify.addRequirement, asked)).body;
    expect(await open()).toContain(key);
    const steps = [7, 8, 9].map((s) => ({ action: `Wait for ${s} s`, expected: 'It stands' }));
    const tried = await add('At its limits', { steps }, [key]);
    expect(await open()).not.toContain(key);
    // One boundary less in the case, then the case retired and back, then its trace gone.
    const without = caseContent('At its limits', { steps: steps.slice(1) });
    expect((await p.call('author', design.saveCase, { key: tried, basedOn: 1, content: without })).status).toBe(200);
    expect(await open()).toContain(key);
    const again = caseContent('At its limits', { steps });
    expect((await p.call('author', design.saveCase, { key: tried, basedOn: 2, content: again })).status).toBe(200);
    expect(await open()).not.toContain(key);
    const trace = (await get(tried)).traces.find((t) => t.to === key);
    expect((await p.call('author', base.removeTrace, { id: trace?.id ?? 0, reason: 'Not this' })).status).toBe(200);
    expect(await open()).toContain(key);
    // A text without a number asks for none.
    const plain = content('Opens', { text: 'The door shall open.' });
    expect((await p.call('author', specify.saveRequirement, { key, basedOn: 1, content: plain })).status).toBe(200);
    expect(await open()).not.toContain(key);
  });

  it('lets a finding of wording stand for a reason, until somebody looks anew', async () => {
    const key = await add('Vague', { steps: [{ action: 'Turn the key and press start', expected: 'OK' }] });
    const dismiss = (rule: string, words: string) =>
      p.call('author', design.dismissCaseFinding, { key, rule, words, reason: 'One movement.' });
    expect((await dismiss('twoActions', 'and press')).status).toBe(200);
    expect((await dismiss('twoActions', 'nothing')).status).toBe(409);
    const [{ id }] = (await get(key)).dismissals;
    await p.call('author', design.endCaseDismissal, { key, id });
    expect((await get(key)).dismissals).toEqual([]);
  });

  it('names its own kinds of case', async () => {
    const kind = { title: 'Cold test', description: '', part: 'checklist' as const, evidence: false, fields: [], retired: false };
    expect((await p.call('author', design.saveCaseKind, { name: 'cold', ...kind })).status).toBe(403);
    const kinds = (await p.call('admin', design.saveCaseKind, { name: 'cold', ...kind })).body;
    expect(kinds.some((k) => k.name === 'cold')).toBeTrue();
    const key = await add('Seal', { kind: 'cold', steps: [{ action: 'Look at the seal', expected: '' }] });
    await p.approve(key);
    expect((await get(key)).state).toBe('approved');
  });

  it('is in the ledger, which accounts for every row of it', async () => {
    expect(await verifyLedger(p.database.db, p.projectId)).toEqual(jasmine.objectContaining({ rowFaultCount: 0, rowFaults: [] }));
  });
});
