import * as base from '@contract/base';
import * as design from '@contract/design';
import * as measure from '@contract/measure';
import * as prove from '@contract/prove';
import * as run from '@contract/run';
import * as specify from '@contract/specify';
import type { Endpoint } from '@contract/base';
import fc from 'fast-check';
import * as z from 'zod';
import { caseContent, content, openProject, type Project } from './support';

const isEndpoint = (value: unknown): value is Endpoint =>
  typeof value === 'object' && value !== null && 'method' in value && 'may' in value;
const endpoints = [base, specify, design, run, measure, prove].flatMap((room) => Object.values(room)).filter(isEndpoint);

interface Schema {
  readonly type?: string | string[];
  readonly properties?: Record<string, Schema>;
  readonly items?: Schema;
  readonly enum?: unknown[];
  readonly const?: unknown;
  readonly anyOf?: Schema[];
  readonly oneOf?: Schema[];
  readonly default?: unknown;
}

/** How long it goes on; a bench may ask for more. */
const seconds = Number(process.env['CORD_FUZZ_SECONDS']) || 45;

const hostile = fc.oneof(
  fc.constantFrom<unknown>(
    '\ud800',
    'a\u0000b',
    '\u202e',
    '😀'.repeat(80),
    `${'x'.repeat(299)}😀`,
    'x'.repeat(401),
    'x'.repeat(100_000),
    '1e400',
    'Infinity',
    'NaN',
    '-1',
    '99999999999',
    '9007199254740993',
    '../../etc/passwd',
    "'; drop table people; --",
    '%00',
    '${7*7}',
    '{"$gt":""}',
    '',
    ' ',
    null,
    true,
    -1,
    0.5,
    1e308,
    99999999999,
    -2147483649,
    [],
    [[]],
    {},
    { a: { b: { c: [] } } },
    ['x', 1, null],
    Array.from({ length: 3000 }, (_, i) => `k${i}`),
  ),
  fc.string({ unit: 'binary', maxLength: 400 }),
  fc.double(),
  fc.jsonValue({ maxDepth: 3 }),
);

/** A value that a schema allows, as plain as can be, with real keys where keys are wanted. */
function sample(schema: Schema, name: string): unknown {
  const known: Record<string, unknown> = {
    key: 'BRK-001',
    build: '1.0',
    specification: 'BRK',
    tester: 'tester',
    login: 'tester',
    password: 'spec-password',
    reason: 'because',
    title: 'T',
    hash: 'a'.repeat(64),
    digest: 'a'.repeat(64),
    filter: '{"words":"x"}',
    sort: 'key',
    requirement: 'BRK-001',
    basedOn: 1,
  };
  if (name in known) return known[name];
  if (schema.const !== undefined) return schema.const;
  if (schema.enum) return schema.enum[0];
  const [one] = schema.anyOf ?? schema.oneOf ?? [];
  if (one) return sample(one, name);
  const type = Array.isArray(schema.type) ? schema.type[0] : schema.type;
  if (type === 'object') return Object.fromEntries(Object.entries(schema.properties ?? {}).map(([n, s]) => [n, sample(s, n)]));
  if (type === 'array') return schema.items ? [sample(schema.items, name)] : [];
  return type === 'string' ? 'x' : type === 'boolean' ? true : type === 'null' ? null : 1;
}

const schemaOf = (type: z.ZodType): Schema => z.toJSONSchema(type, { io: 'input', unrepresentable: 'any' }) as Schema;

/** The value with one of its parts, however deep, replaced. */
function broken(value: unknown, path: readonly number[], by: unknown): unknown {
  if (typeof value !== 'object' || value === null || !path.length) return by;
  const entries = Object.entries(value);
  if (!entries.length) return by;
  const [name, part] = entries[path[0] % entries.length];
  const next = broken(part, path.slice(1), by);
  return Array.isArray(value) ? value.map((item: unknown, i) => (String(i) === name ? next : item)) : { ...value, [name]: next };
}

describe('whatever comes', () => {
  let p: Project;
  beforeAll(async () => {
    p = await openProject();
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('One') });
    await p.call('author', design.addCase, { content: caseContent('Case'), verifies: ['BRK-001'] });
    await p.approve('C-001');
    await p.call('author', run.addRound, { build: '1.0', title: 'R', configuration: 'rig', tester: 'tester', cases: ['C-001'] });
  });
  afterAll(() => p.close());

  // What would take the ground from under the others is left to specs of its own.
  const calm = endpoints.filter(
    (e) =>
      !['/session', '/session/password', '/setup', '/people/:login', '/projects/:project/members/:login'].includes(e.path) &&
      !/closure|tokens/.test(e.path),
  );
  const who = (e: Endpoint): string =>
    e.may === 'installation' || e.may === 'signedIn' || (Array.isArray(e.may) && e.may.includes('administrator'))
      ? 'admin'
      : Array.isArray(e.may)
        ? e.may[0]
        : 'author';

  it(
    `is answered, on every route, with something else than an inner error (${seconds} s of broken input)`,
    async () => {
      const until = Date.now() + seconds * 1000;
      const faults = new Set<string>();
      let asked = 0;
      const seed = Number(process.env['CORD_FUZZ_SEED']) || Date.now() % 1_000_000;
      const values = fc.sample(fc.tuple(hostile, fc.array(fc.nat(20), { minLength: 1, maxLength: 4 }), fc.nat(2)), { numRuns: 4000, seed });
      for (let i = 0; Date.now() < until; i++) {
        const endpoint = calm[i % calm.length];
        const [value, path, part] = values[i % values.length];
        const parts = {
          params: sample(schemaOf(endpoint.params), '') as Record<string, unknown>,
          query: sample(schemaOf(endpoint.query), '') as Record<string, unknown>,
          body: sample(schemaOf(endpoint.body), ''),
        };
        const hasBody = (endpoint.method === 'POST' || endpoint.method === 'PUT') && !endpoint.multipart;
        if (part === 0) parts.params = broken(parts.params, path.slice(0, 1), value) as Record<string, unknown>;
        else if (part === 1 || !hasBody) parts.query = broken(parts.query, path.slice(0, 1), value) as Record<string, unknown>;
        else parts.body = broken(parts.body, path, value);
        const text = (v: unknown): string => (typeof v === 'string' ? v : (JSON.stringify(v) ?? ''));
        const encode = (v: unknown): string => {
          try {
            return encodeURIComponent(text(v).slice(0, 5000));
          } catch {
            return '%ED%A0%80';
          }
        };
        const params = typeof parts.params === 'object' && parts.params !== null ? parts.params : {};
        const url = endpoint.path.replace(/:(\w+)/g, (_, name: string) => (name === 'project' ? 'spec' : encode(params[name] ?? '1')));
        const query = Object.entries(parts.query ?? {}).flatMap(([name, v]) =>
          i % 7 ? [`${name}=${encode(v)}`] : [`${name}=${encode(v)}`, `${name}=again`],
        );
        const answer = await p.app.inject({
          method: endpoint.method,
          url: `/api${url}?${query.join('&')}`,
          headers: {
            cookie: await p.cookie(who(endpoint)),
            ...(endpoint.multipart
              ? { 'content-type': 'multipart/form-data; boundary=x' }
              : hasBody
                ? { 'content-type': 'application/json' }
                : {}),
          },
          ...(endpoint.multipart
            ? {
                payload: `--x\r\ncontent-disposition: form-data; name="f"; filename="${text(value)
                  .slice(0, 50)
                  .replace(/[\r\n"]/g, '')}"\r\n\r\nx`,
              }
            : hasBody
              ? { payload: JSON.stringify(parts.body) ?? 'undefined' }
              : {}),
        });
        asked++;
        if (answer.statusCode >= 500 && answer.statusCode !== 503)
          faults.add(
            `${endpoint.method} ${endpoint.path}: ${answer.statusCode} for ${JSON.stringify(value).slice(0, 120)} (part ${part}, ${path.join('.')}; seed ${seed})`,
          );
      }
      expect(asked).toBeGreaterThan(calm.length);
      expect([...faults].slice(0, 20)).toEqual([]);
    },
    (seconds + 30) * 1000,
  );

  it('is refused as what it is: bodies that are no JSON, too large, cut off or of another kind', async () => {
    const headers = { cookie: await p.cookie('author') };
    const post = (payload: string | Buffer, type: string) =>
      p.app.inject({ method: 'POST', url: '/api/projects/spec/requirements', headers: { ...headers, 'content-type': type }, payload });
    expect((await post('{"a":', 'application/json')).statusCode).toBe(400);
    expect((await post('x'.repeat(2 << 20), 'application/json')).statusCode).toBe(413);
    expect([400, 415]).toContain((await post('<a/>', 'text/xml')).statusCode);
    expect((await post('{"__proto__":{"x":1}}', 'application/json')).statusCode).toBe(400);
    const upload = (payload: string, type: string) =>
      p.app.inject({
        method: 'POST',
        url: '/api/projects/spec/records/BRK-001/files',
        headers: { ...headers, 'content-type': type },
        payload,
      });
    for (const [payload, type] of [
      ['--x', 'multipart/form-data; boundary=x'],
      ['', 'multipart/form-data'],
      ['--x\r\ncontent-disposition: form-data; name="f"; filename="a"\r\n\r\ncut', 'multipart/form-data; boundary=x'],
      ['{}', 'application/json'],
    ]) {
      const { statusCode } = await upload(payload, type);
      expect(statusCode)
        .withContext(`${type} ${payload.slice(0, 20)}`)
        .toBeGreaterThanOrEqual(400);
      expect(statusCode)
        .withContext(`${type} ${payload.slice(0, 20)}`)
        .toBeLessThan(500);
    }
  });
});
