import { createHash, generateKeyPairSync, randomBytes, sign } from 'node:crypto';
import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { isoCBOR } from '@simplewebauthn/server/helpers';
import { generate } from 'otplib';
import { factorKinds, seal, unseal } from '../src/base';
import { content, openProject, password, type Project } from './support';

const sha256 = (bytes: Uint8Array | string): Buffer => createHash('sha256').update(bytes).digest();
const origin = 'http://localhost:4180';

/** An authenticator of its own, as a browser would have one: makes one key, and answers challenges with it. */
class Authenticator {
  readonly id = randomBytes(24);
  private readonly keys = generateKeyPairSync('ec', { namedCurve: 'P-256' });
  private uses = 0;

  private data(flags: number, more: Buffer = Buffer.alloc(0)): Buffer {
    const counter = Buffer.alloc(4);
    counter.writeUInt32BE(++this.uses);
    return Buffer.concat([sha256('localhost'), Buffer.from([flags]), counter, more]);
  }

  private client(type: string, challenge: string, from: string): Buffer {
    return Buffer.from(JSON.stringify({ type, challenge, origin: from, crossOrigin: false }));
  }

  private message(response: Record<string, unknown>): Record<string, unknown> {
    const id = this.id.toString('base64url');
    return { id, rawId: id, type: 'public-key', clientExtensionResults: {}, response };
  }

  make(challenge: string): Record<string, unknown> {
    const { x = '', y = '' } = this.keys.publicKey.export({ format: 'jwk' });
    const cose = new Map<number, number | Uint8Array>([
      [1, 2],
      [3, -7],
      [-1, 1],
      [-2, new Uint8Array(Buffer.from(x, 'base64url'))],
      [-3, new Uint8Array(Buffer.from(y, 'base64url'))],
    ]);
    const length = Buffer.alloc(2);
    length.writeUInt16BE(this.id.length);
    const authData = this.data(0x41, Buffer.concat([Buffer.alloc(16), length, this.id, Buffer.from(isoCBOR.encode(cose as never))]));
    const attestation = isoCBOR.encode(
      new Map<string, unknown>([
        ['fmt', 'none'],
        ['attStmt', new Map()],
        ['authData', new Uint8Array(authData)],
      ]) as never,
    );
    return this.message({
      clientDataJSON: this.client('webauthn.create', challenge, origin).toString('base64url'),
      attestationObject: Buffer.from(attestation).toString('base64url'),
      transports: ['internal'],
    });
  }

  answer(challenge: string, from = origin): Record<string, unknown> {
    const authData = this.data(0x01);
    const client = this.client('webauthn.get', challenge, from);
    return this.message({
      clientDataJSON: client.toString('base64url'),
      authenticatorData: authData.toString('base64url'),
      signature: sign('sha256', Buffer.concat([authData, sha256(client)]), this.keys.privateKey).toString('base64url'),
    });
  }
}

describe('a second factor', () => {
  let p: Project;
  let now = new Date();
  let secret = '';
  beforeAll(async () => {
    p = await openProject();
    (p.context as { now: () => Date }).now = () => now;
  });
  afterAll(() => p.close());

  const ask = async (method: 'GET' | 'POST' | 'PUT' | 'DELETE', url: string, cookie: string, payload?: object, host = 'localhost:4180') => {
    const answer = await p.app.inject({ method, url: `/api${url}`, headers: { cookie, host }, ...(payload ? { payload } : {}) });
    const set = [answer.headers['set-cookie'] ?? []].flat()[0] as string | undefined;
    return { status: answer.statusCode, body: answer.json<Record<string, never>>(), cookie: set?.split(';')[0] ?? cookie };
  };
  const enter = (login: string) => ask('POST', '/session', '', { login, password });
  const codeAt = (seconds = 0): Promise<string> => generate({ secret, epoch: Math.floor(now.getTime() / 1000) + seconds });
  const later = (seconds: number): void => void (now = new Date(now.getTime() + seconds * 1000));

  it('is added with the password, and counts only when a code of it was given', async () => {
    const { cookie } = await enter('reviewer');
    expect((await ask('POST', '/session/factors/totp', cookie, { password: 'not this one' })).body['code']).toBe('wrongPassword' as never);
    const begun = await ask('POST', '/session/factors/totp', cookie, { password });
    secret = begun.body['secret'];
    expect(begun.body['uri'] as string).toMatch(/^otpauth:\/\/totp\/.*reviewer\?secret=/);
    expect((await enter('reviewer')).body['factor']).toBeNull();
    const wrong = await ask('POST', `/session/factors/totp/${begun.body['id']}`, cookie, { code: '000000', name: 'Phone' });
    expect(wrong.status).toBe(400);
    const right = await ask('POST', `/session/factors/totp/${begun.body['id']}`, cookie, { code: await codeAt(), name: 'Phone' });
    expect(right.body).toEqual([jasmine.objectContaining({ kind: 'totp', name: 'Phone' })] as never);
    expect((await ask('GET', '/session', cookie)).body['factorShown']).toBe(true as never);
    const [[row]] = (await p.owner.query(`select sealed from ${p.name}.second_factors`)) as unknown as [{ sealed: string }[]];
    expect(row.sealed).not.toContain(secret);
  });

  it('holds the session back until it was shown: nothing is told, nothing can be done, not even the password be changed', async () => {
    const half = await enter('reviewer');
    expect(half.body).toEqual(jasmine.objectContaining({ factor: ['totp'], projects: [], factorShown: false }) as never);
    for (const [method, url] of [
      ['GET', '/projects/spec'],
      ['GET', '/projects/spec/ledger'],
      ['GET', '/session/all'],
      ['GET', '/session/factors'],
      ['GET', '/projects/spec/events'],
    ] as const)
      expect((await ask(method, url, half.cookie)).body['code'])
        .withContext(url)
        .toBe('secondFactor' as never);
    const change = await ask('PUT', '/session/password', half.cookie, { present: password, password: 'another-long-password' });
    expect(change.body['code']).toBe('secondFactor' as never);
    expect((await ask('POST', '/session/factor', half.cookie, {})).status).toBe(400);
  });

  it('takes a code once, one before and one behind too, and gives a new session', async () => {
    later(60);
    const code = await codeAt();
    const halves = [await enter('reviewer'), await enter('reviewer')];
    const shown = await Promise.all(halves.map(({ cookie }) => ask('POST', '/session/factor', cookie, { code })));
    expect(shown.map(({ status }) => status).sort()).toEqual([200, 400]);
    const [good] = shown.filter(({ status }) => status === 200);
    expect(good.body).toEqual(jasmine.objectContaining({ factor: null, factorShown: true }) as never);
    expect(halves.map(({ cookie }) => cookie)).not.toContain(good.cookie);
    const at = halves[shown.indexOf(good)].cookie;
    expect((await ask('GET', '/session', at)).status).toBe(401);
    expect((await ask('GET', '/projects/spec', good.cookie)).status).toBe(200);
    later(90);
    const next = await enter('reviewer');
    expect((await ask('POST', '/session/factor', next.cookie, { code: await codeAt(-30) })).status).toBe(200);
    const old = await enter('reviewer');
    expect((await ask('POST', '/session/factor', old.cookie, { code: await codeAt(-90) })).status).toBe(400);
    later(700);
  });

  it('is not guessed: after five wrong codes none is looked at, wherever they come from', async () => {
    const halves: Awaited<ReturnType<typeof enter>>[] = [];
    for (let i = 0; i < 8; i++) halves.push(await enter('reviewer'));
    const codes = await Promise.all(halves.map(({ cookie }, i) => ask('POST', '/session/factor', cookie, { code: `00000${i}` })));
    expect(codes.filter(({ status }) => status === 400)).toHaveSize(5);
    expect(codes.filter(({ status }) => status === 429)).toHaveSize(3);
    expect((await ask('POST', '/session/factor', halves[0].cookie, { code: await codeAt() })).body['code']).toBe('locked' as never);
    later(700);
    expect((await ask('POST', '/session/factor', halves[0].cookie, { code: await codeAt() })).status).toBe(200);
  });

  it('can be a passkey, bound to the site’s name and to one challenge', async () => {
    const mine = new Authenticator();
    const { cookie } = await enter('tester');
    const numbered = await ask('POST', '/session/factors/passkey/options', cookie, { password }, '127.0.0.1:4180');
    expect(numbered.body['detail'] as string).toContain('opened by a number');
    const options = await ask('POST', '/session/factors/passkey/options', cookie, { password });
    const made = mine.make(options.body['challenge']);
    const added = await ask('POST', '/session/factors/passkey', cookie, { name: 'Laptop', response: made });
    expect(added.body).toEqual([jasmine.objectContaining({ kind: 'passkey', name: 'Laptop' })] as never);
    expect((await ask('POST', '/session/factors/passkey', cookie, { name: 'Twice', response: made })).status).toBe(409);

    const half = await enter('tester');
    expect(half.body['factor']).toEqual(['passkey'] as never);
    const challenge = async (): Promise<string> => (await ask('POST', '/session/factor/options', half.cookie, {})).body['challenge'];
    const show = (passkey: Record<string, unknown>) => ask('POST', '/session/factor', half.cookie, { passkey });
    await challenge();
    expect((await show(mine.answer('AAAA'))).status).toBe(400);
    expect((await show(mine.answer(await challenge(), 'http://elsewhere.test'))).status).toBe(400);
    expect((await show(new Authenticator().answer(await challenge()))).status).toBe(400);
    const stale = mine.answer(await challenge());
    await challenge();
    expect((await show(stale)).status).toBe(400);
    const shown = await show(mine.answer(await challenge()));
    expect(shown.status).toBe(200);
    expect((await ask('GET', '/projects/spec', shown.cookie)).status).toBe(200);
  });

  it('is asked for signing where the project says so, of whoever did not show one', async () => {
    await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('It holds') });
    const { profile, revision } = (await p.call('auditor', base.getProject, {})).body;
    const policies = { ownApprovalAt: [], creditNeedsSignature: true, observationAt: [], reasonLength: 3, signingNeedsFactor: true };
    const asked = await p.call('admin', base.setProfile, {
      basedOn: revision,
      profile: { ...profile, policies },
      reason: 'Two factors for signing.',
      password,
    });
    expect(asked.status).toBe(200);
    const read = (await p.call('author', specify.getRequirement, { key: 'BRK-001' })).body;
    await p.call('author', specify.setRequirementState, { key: 'BRK-001', basedOn: read.revision, state: 'review' });
    const { revision: basedOn, hash } = (await p.call('author', specify.getRequirement, { key: 'BRK-001' })).body;
    const approve = (cookie: string) => ask('POST', '/projects/spec/requirements/BRK-001/approval', cookie, { basedOn, hash, password });
    const without = await p.call('both', specify.approveRequirement, { key: 'BRK-001', basedOn, hash, password });
    expect(without.problem.code).toBe('secondFactorNeeded');
    later(60);
    const half = await enter('reviewer');
    const { cookie } = await ask('POST', '/session/factor', half.cookie, { code: await codeAt() });
    expect((await approve(cookie)).status).toBe(200);
  });

  it('can be asked of administrators, by one who has one, and is taken away by another where it was lost', async () => {
    const plain = await enter('admin');
    const policy = (cookie: string, administratorsNeedFactor: boolean) =>
      ask('PUT', '/installation/policy', cookie, { administratorsNeedFactor });
    expect((await policy(plain.cookie, true)).status).toBe(409);
    const begun = await ask('POST', '/session/factors/totp', plain.cookie, { password });
    secret = begun.body['secret'];
    await ask('POST', `/session/factors/totp/${begun.body['id']}`, plain.cookie, { code: await codeAt(), name: 'Phone' });
    expect((await policy(plain.cookie, true)).body).toEqual({ administratorsNeedFactor: true } as never);
    const old = await p.cookie('admin');
    expect((await ask('GET', '/people', old)).body['code']).toBe('secondFactorNeeded' as never);
    const member = await ask('PUT', '/projects/spec/members/tester', old, { roles: ['tester'] });
    expect(member.body['code']).toBe('secondFactorNeeded' as never);
    expect((await ask('GET', '/projects/spec', old)).status).toBe(200);
    const dropped = await ask('PUT', '/people/tester', plain.cookie, { dropFactors: true });
    expect(dropped.status).toBe(200);
    expect((await enter('tester')).body['factor']).toBeNull();
    const said = (await p.call('auditor', base.listLedger, { kind: 'person', limit: 50 })).body.entries.map(
      ({ action, key }) => `${action} ${key}`,
    );
    expect(said).toEqual(
      jasmine.arrayContaining(['second factors removed tester', 'second factor added tester', 'second factor added reviewer']),
    );
    expect((await policy(plain.cookie, false)).status).toBe(200);
  });

  it('can be stood in for by a recovery code, each once; new ones end the old, and the last factor ends them', async () => {
    const { cookie } = await enter('both');
    const none = await ask('POST', '/session/factors/recovery', cookie, { password });
    expect(none.body['detail'] as string).toContain('Add an authenticator application or a passkey first');
    const mine = new Authenticator();
    const options = await ask('POST', '/session/factors/passkey/options', cookie, { password });
    await ask('POST', '/session/factors/passkey', cookie, { name: 'Laptop', response: mine.make(options.body['challenge']) });
    expect((await ask('POST', '/session/factors/recovery', cookie, { password: 'wrong' })).status).toBe(401);
    const make = async (): Promise<string[]> => (await ask('POST', '/session/factors/recovery', cookie, { password })).body['codes'];
    const [old] = await make();
    const codes = await make();
    expect(new Set(codes)).toHaveSize(10);
    expect(codes[0]).toMatch(/^[a-z2-7]{5}-[a-z2-7]{5}$/);

    const halves = [await enter('both'), await enter('both')];
    expect(halves[0].body['factor']).toEqual(['passkey', 'recovery'] as never);
    const show = (half: { cookie: string }, code: string) => ask('POST', '/session/factor', half.cookie, { code });
    expect((await show(halves[0], old)).status).toBe(400);
    const both = await Promise.all(halves.map((half) => show(half, codes[3])));
    expect(both.map(({ status }) => status).sort()).toEqual([200, 400]);
    expect((await show(await enter('both'), codes[3])).status).toBe(400);
    expect((await show(await enter('both'), codes[4].replace('-', ' ').toUpperCase())).status).toBe(200);
    const factors = (await ask('GET', '/session/factors', cookie)).body as unknown as { id: number; kind: string; left: number | null }[];
    expect(factors.map(({ kind, left }) => [kind, left])).toEqual([
      ['passkey', null],
      ['recovery', 8],
    ]);
    const [[row]] = (await p.owner.query(`select sealed from ${p.name}.second_factors where kind = 'recovery'`)) as unknown as [
      { sealed: string }[],
    ];
    expect(row.sealed).not.toContain(sha256(codes[0].replace('-', '')).toString('hex'));
    expect((await ask('POST', `/session/factors/${factors[0].id}/remove`, cookie, { password })).body).toEqual([] as never);
    expect((await enter('both')).body['factor']).toBeNull();
    const said = (await p.call('auditor', base.listLedger, { kind: 'person', limit: 50 })).body.entries;
    expect(said.filter(({ action }) => action === 'recovery code used')).toHaveSize(2);
  });

  it('is removed with the password, and its secret opens under its own purpose and secret only', async () => {
    later(60);
    const half = await enter('admin');
    const { cookie } = await ask('POST', '/session/factor', half.cookie, { code: await codeAt() });
    const [{ id }] = (await ask('GET', '/session/factors', cookie)).body as unknown as { id: number }[];
    expect((await ask('POST', `/session/factors/${id}/remove`, cookie, { password: 'wrong' })).status).toBe(401);
    expect((await ask('POST', `/session/factors/${id}/remove`, cookie, { password })).body).toEqual([] as never);
    expect(await factorKinds(p.database.db, 1)).toEqual([]);
    const sealed = seal('one thing', 'text', 'It');
    expect(unseal('one thing', sealed, 'It')).toBe('text');
    expect(() => unseal('another thing', sealed, 'It')).toThrowError(/not the one that it was kept under/);
    const bytes = Buffer.from(sealed, 'base64');
    bytes[bytes.length - 1] ^= 1;
    expect(() => unseal('one thing', bytes.toString('base64'), 'It')).toThrowError(/not the one that it was kept under/);
  });
});
