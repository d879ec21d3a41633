import fc from 'fast-check';
import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { writeCsv } from '@core/base';
import { readReqif } from '@core/specify';
import { openProject, type Project } from './support';

const words = fc.constantFrom(
  'The brake',
  'shall close',
  '=1+1',
  '"quoted"',
  'a, b; c',
  'é ☂',
  '<b>',
  '5 kN',
  "'half",
  '-3',
  'no',
  'yes',
  '@x',
);
const line = fc.array(words, { minLength: 1, maxLength: 4 }).map((list) => list.join(' '));
const lines = fc.array(line, { minLength: 1, maxLength: 3 }).map((list) => list.join('\n'));
const maybe = <T>(some: fc.Arbitrary<T>, none: T) => fc.oneof(some, fc.constant(none));
const row = fc.record({
  kind: fc.constantFrom('requirement', 'requirement', 'heading', 'note'),
  up: fc.nat(30),
  parents: fc.uniqueArray(fc.nat(30), { maxLength: 2 }),
  title: line,
  text: lines,
  rationale: maybe(lines, ''),
  level: fc.constantFrom('SIL 1', 'SIL 2', ''),
  method: fc.constantFrom('test', 'analysis', ''),
  why: fc.constantFrom('', 'yes', 'Done by hand.'),
  criteria: maybe(lines, ''),
  source: maybe(line, ''),
  tags: fc.constantFrom('', 'cold; rope'),
});
const columns = [
  'key',
  'kind',
  'under',
  'title',
  'text',
  'rationale',
  'level',
  'method',
  'parent',
  'not in code',
  'acceptance criteria',
  'source',
  'tags',
];

describe('Any specification', () => {
  let p: Project;
  beforeAll(async () => (p = await openProject()));
  afterAll(() => p.close());
  const get = async (path: string) => p.app.inject({ url: `/api/projects/spec${path}`, headers: { cookie: await p.cookie('author') } });

  it('comes back through CSV, XLSX and ReqIF and changes nothing', async () => {
    for (const [n, rows] of fc.sample(fc.array(row, { minLength: 8, maxLength: 25 }), { numRuns: 4, seed: 11 }).entries()) {
      const prefix = `R${'ABCD'[n]}`;
      await p.call('author', specify.addSpecification, { key: prefix, title: `Any ${n}`, prefix });
      const key = (i: number): string => `${prefix}-${i + 1}`;
      // What stands below or comes from another was made before it: no circles.
      const table = rows.map((r, i) => [
        key(i),
        r.kind,
        i && r.up < i ? key(r.up) : '',
        r.title,
        r.text,
        ...(r.kind === 'requirement'
          ? [
              r.rationale,
              r.level,
              r.method,
              r.parents.flatMap((of) => (of < i && rows[of].kind === 'requirement' ? [key(of)] : [])).join('; '),
            ]
          : ['', '', '', '']),
        ...(r.kind === 'requirement' ? [r.why, r.criteria, r.source, r.tags] : ['', '', '', '']),
      ]);
      const csv = writeCsv(columns, table);
      const { body: shown } = await p.call('author', specify.previewImport, { csv, specification: prefix });
      expect(shown.findings).withContext(csv).toEqual([]);
      const { mapping } = shown;
      await p.call('author', specify.importRequirements, { specification: prefix, fileName: 'r.csv', csv, mapping });
      const same = async (back: string, layouts = {}): Promise<void> => {
        const { body } = await p.call('author', specify.previewImport, { csv: back, specification: prefix, layouts });
        const changed = body.rows.filter(({ status }) => status !== 'same').map((r) => [r.key, r.status, r.differences]);
        expect([body.findings, changed, body.same, body.missing]).toEqual([[], [], rows.length, 0]);
      };
      await same((await get(`/requirements.csv?specification=${prefix}`)).body);
      const { rawPayload } = await get(`/requirements.xlsx?specification=${prefix}`);
      const { body } = await p.upload('author', '/imports/requirements/workbook', [{ name: 'r.xlsx', bytes: rawPayload }]);
      await same(body['csv'] as string);
      const { body: known } = await p.call('author', specify.getExchange, { key: prefix });
      const read = readReqif((await get(`/specifications/${prefix}/file.reqif`)).body, {
        ...known,
        known: new Map(Object.entries(known.identifiers)),
      });
      if ('fault' in read) throw new Error(read.fault);
      await same(read.csv, read.layouts);
    }
    expect((await p.call('auditor', base.verifyLedger, {})).body.rowFaultCount).toBe(0);
  });
});
