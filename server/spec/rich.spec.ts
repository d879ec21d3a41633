import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as base from '@contract/base';
import * as specify from '@contract/specify';
import { textHash } from '@core/base';
import { requirementText2, requirementText3, type RequirementContent } from '@core/specify';
import { unpacked } from './packs';
import { content, openProject, type Project } from './support';

const dot = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64');

describe('A text that is laid out', () => {
  let p: Project;
  let folder: string;
  beforeAll(async () => {
    p = await openProject();
    folder = mkdtempSync(join(tmpdir(), 'rich-'));
  });
  afterAll(async () => {
    rmSync(folder, { recursive: true, force: true });
    await p.close();
  });
  const write = async (html: string) => {
    const { body } = await p.call('author', specify.addRequirement, { specification: 'BRK', content: content('Laid out', { html }) });
    return body;
  };
  const save = (key: string, basedOn: number, html: string) =>
    p.call('author', specify.saveRequirement, { key, basedOn, content: content('Laid out', { html }), reason: 'It was not clear.' });

  it('is stored clean, its words read from it, whatever the writer says they are', async () => {
    const made = await write('<p>The brake shall</p><ul><li>close</li><li>hold</li></ul><script>alert(1)</script><p onclick="x()">now</p>');
    expect(made.html).toBe('<p>The brake shall</p><ul><li>close</li><li>hold</li></ul><p>now</p>');
    expect(made.text).toBe('The brake shall\nclose\nhold\nnow');
  });

  it('is plain where it has lines alone, and then reads and hashes as plain text always did', async () => {
    const made = await write('<p>One &lt; two</p><p>lines</p>');
    expect([made.html, made.text]).toEqual([undefined, 'One < two\nlines']);
    const plain = content('Laid out', { text: 'One < two\nlines' }) as RequirementContent;
    expect(made.hash).toBe(textHash(requirementText2(made.key, 1, plain)));
    const rich = (await save(made.key, 1, '<p>One &lt; two</p><p><strong>lines</strong></p>')).body;
    expect(rich.hash).toBe(textHash(requirementText3(made.key, 2, { ...plain, html: rich.html ?? '' })));
    expect(rich.html).toContain('<strong>');
    // And back: no trace of a layout is left.
    expect((await save(made.key, 2, '<p>One &lt; two</p><p>lines</p>')).body.hash).toBe(textHash(requirementText2(made.key, 3, plain)));
  });

  it('keeps nothing that runs, reaches out or hides, however it is written', async () => {
    const hostile = [
      '<img src=x onerror=alert(1)>',
      '<img src="https://elsewhere.example/pixel.png">',
      '<svg/onload=alert(1)>',
      '<a href="javascript:alert(1)">x</a>',
      '<a href="jav&#x09;ascript:alert(1)">x</a>',
      '<iframe srcdoc="<script>1</script>"></iframe>',
      '<math><mi xlink:href="data:x,<script>1</script>">',
      '<style>*{display:none}</style>',
      '<p style="position:fixed;inset:0">x</p>',
      '<form action="/api/sign-out"><button>x</button></form>',
      '<table><td background="https://elsewhere.example/a">x',
      '<p>&lt;script&gt;alert(1)&lt;/script&gt;</p><p><b>b</b></p>',
      '<<b>script>alert(1)<</b>/script>',
    ];
    for (const html of hostile) {
      const made = await write(`<p>The <em>valve</em> shall close.</p>${html}`);
      expect(made.html ?? '')
        .withContext(html)
        .not.toMatch(/<(script|svg|iframe|math|style|form|button)|on\w+=|javascript:|style=|elsewhere\.example|background=/i);
    }
    const nested = await p.call('author', specify.addRequirement, {
      specification: 'BRK',
      content: content('Deep', { html: '<ul><li>'.repeat(4000) }),
    });
    expect([nested.status, nested.problem.detail]).toEqual([400, jasmine.stringContaining('at most 3,000 tags')]);
    const long = await p.call('author', specify.addRequirement, {
      specification: 'BRK',
      content: content('Long', { html: `<p><b>${'x'.repeat(20_001)}</b></p>` }),
    });
    expect(long.problem.fields?.map((f) => f.path)).toEqual(['text']);
  });

  it('is approved by its layout: another one asks for another signature, and both verify', async () => {
    const { key } = await write('<p>It shall <strong>hold</strong>.</p>');
    await p.approve(key);
    const approved = (await p.call('auditor', specify.getRequirement, { key })).body;
    expect(approved.signatures.map((s) => [s.format, s.hash])).toEqual([[3, approved.hash]]);
    const unsaid = await p.call('author', specify.saveRequirement, {
      key,
      basedOn: 1,
      content: content('Laid out', { html: '<p>It <strong>shall</strong> hold.</p>' }),
      reason: '',
    });
    expect(unsaid.problem.fields?.map((f) => f.path)).toEqual(['reason']);
    const revised = (await save(key, 1, '<p>It <strong>shall</strong> hold.</p>')).body;
    expect([revised.state, revised.revision]).toEqual(['draft', 2]);
    expect(revised.hash).not.toBe(approved.hash);
  });

  it('names the records whose keys stand in it, and only those that are', async () => {
    const one = await write('<p>One</p>');
    const two = await write(`<p>As ${one.key}, and as ISO-26262, not as BRK-99999 or X${one.key}</p>`);
    const shown = await p.call('auditor', specify.getRequirement, { key: two.key });
    expect(shown.body.mentions).toEqual([{ kind: 'requirement', key: one.key }]);
  });

  it('keeps its layout when a table of words is imported', async () => {
    const made = await write('<p>It shall <strong>turn</strong>.</p>');
    const csv = await p.app.inject({
      url: '/api/projects/spec/requirements.csv?specification=BRK',
      headers: { cookie: await p.cookie('author') },
    });
    const mapping = (await p.call('author', specify.previewImport, { csv: csv.body })).body;
    expect([mapping.new, mapping.changed]).toEqual([0, 0]);
    const changed = `key,title,text\n${made.key},Another title,It shall turn.\n`;
    await p.call('author', specify.importRequirements, {
      specification: 'BRK',
      fileName: 'r.csv',
      csv: changed,
      mapping: { key: 'key', title: 'title', text: 'text' },
    });
    const after = (await p.call('auditor', specify.getRequirement, { key: made.key })).body;
    expect([after.title, after.html]).toEqual(['Another title', '<p>It shall <strong>turn</strong>.</p>']);
  });

  it('shows pictures of the project alone, and carries them into the pack', async () => {
    const { key } = await write('<p>See</p>');
    const { body } = await p.upload('author', `/records/${key}/files`, [{ name: 'dot.png', bytes: dot, mime: 'image/png' }]);
    const [{ sha256 }] = body as unknown as { sha256: string }[];
    const { html } = (await save(key, 1, `<p>See</p><p><img src="files/${sha256}" alt="A dot"></p>`)).body;
    expect(html).toBe(`<p>See</p><p><img src="files/${sha256}" alt="A dot" /></p>`);
    const picture = (sha: string, who: string) =>
      p.cookie(who).then((cookie) => p.app.inject({ url: `/api/projects/spec/pictures/${sha}`, headers: { cookie } }));
    const shown = await picture(sha256, 'auditor');
    expect([shown.statusCode, shown.headers['content-type'], shown.rawPayload.equals(dot)]).toEqual([200, 'image/png', true]);
    expect((await picture('0'.repeat(64), 'auditor')).statusCode).toBe(404);
    const [file] = (await p.call('author', base.listAttachments, { key })).body;
    await p.call('author', base.removeAttachment, { key, id: file.id });
    expect((await picture(sha256, 'auditor')).statusCode).toBe(200);
    await p.approve(key);
    const into = await unpacked(p, '1.0', folder);
    expect(readFileSync(join(into, 'requirements', `${key}.html`), 'utf8')).toContain(`<img src="../pictures/${sha256}" alt="A dot" />`);
    expect(readFileSync(join(into, 'pictures', sha256)).equals(dot)).toBeTrue();
    const signed = readFileSync(join(into, 'signatures.tsv'), 'utf8')
      .split('\n')
      .find((line) => line.includes(`\t${key}\t`))
      ?.split('\t');
    expect(execFileSync('sha256sum', [join(into, signed?.[0] ?? '')], { encoding: 'utf8' }).slice(0, 64)).toBe(signed?.[1] ?? 'none');
  });
});
