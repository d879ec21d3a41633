import * as contract from '@contract/base';
import type { Job, LedgerRow } from '@contract/base';
import { mount, openWeb } from './testing';
import { JobsPanel } from './jobs-panel';
import { LedgerPage } from './ledger-page';
import { EntryLine } from './ui/entry-line';

describe('The ledger, read by people', () => {
  const entry = (seq: number, more: Partial<LedgerRow> = {}): LedgerRow => ({
    seq,
    at: '2026-03-01T10:00:00.000Z',
    who: 'ada',
    action: 'requirement revised',
    kind: 'requirement',
    key: `R-${seq}`,
    before: { revision: 1, title: 'Old words', hash: 'aaaa' },
    after: { revision: 2, title: 'New words', hash: 'bbbb' },
    previous: 'p'.repeat(64),
    hash: 'h'.repeat(64),
    ...more,
  });
  const open = async (entries: LedgerRow[], total = entries.length) => {
    const { api } = openWeb(['auditor']);
    api.on(contract.listLedger, () => ({ entries, total, kinds: ['requirement', 'run'], people: ['ada', 'tom'] }));
    const page = await mount(LedgerPage);
    await new Promise((resolve) => setTimeout(resolve, 120));
    await page.settled();
    return { api, page };
  };
  const change = async (page: Awaited<ReturnType<typeof open>>['page'], selector: string, value: string) => {
    const box = page.one<HTMLInputElement>(selector);
    box.value = value;
    box.dispatchEvent(new Event('change'));
    await new Promise((resolve) => setTimeout(resolve, 120));
    await page.settled();
  };

  it('goes out as a file of just what is found', async () => {
    const { page } = await open([entry(7)], 1);
    await change(page, 'select', 'run');
    await page.press(/Export/);
    const links = [...document.querySelectorAll<HTMLAnchorElement>('a[mat-menu-item]')].map((a) => a.getAttribute('href'));
    expect(links).toEqual([
      '/api/projects/demo/exports/ledger?kind=run&format=csv',
      '/api/projects/demo/exports/ledger?kind=run&format=json',
    ]);
  });

  it('says each entry as a sentence with a printed name, its record a link', async () => {
    const { page } = await open([entry(7)]);
    expect(page.one('cp-entry').textContent?.replace(/\s+/g, ' ')).toContain('Ada Lund revised R-7, now revision 2');
    expect(page.one<HTMLAnchorElement>('cp-entry a').getAttribute('href')).toBe('/demo/specify/requirement/R-7');
  });
  it('shows what differs word by word, and the hash, to those who ask', async () => {
    const { page } = await open([entry(7)]);
    expect(page.text()).not.toContain('hhhh');
    await page.press(/More of entry 7/);
    expect(page.all('del').map((d) => d.textContent)).toContain('Old');
    expect(page.all('ins').map((d) => d.textContent)).toContain('New');
    expect(page.text()).not.toContain('aaaa');
    expect(page.text()).toContain('h'.repeat(64));
    await page.press(/Less of entry 7/);
    expect(page.all('del')).toEqual([]);
  });
  it('asks by kind, person and days', async () => {
    const { api, page } = await open([entry(7)]);
    const [kind, who] = page.all<HTMLSelectElement>('select');
    expect([...kind.options].map((o) => o.value)).toEqual(['', 'requirement', 'run']);
    expect([...who.options].map((o) => o.value)).toEqual(['', 'ada', 'tom']);
    await change(page, 'select', 'run');
    await change(page, 'input[type=date]', '2026-03-01');
    expect(api.of(contract.listLedger).at(-1)).toEqual(jasmine.objectContaining({ kind: 'run', from: '2026-03-01' }));
    expect(page.text()).toContain('1 entries match');
  });
  it('reads on behind the oldest entry that is shown', async () => {
    const { api, page } = await open([entry(9), entry(8)], 40);
    await page.press(/Show older entries/);
    expect(api.of(contract.listLedger).at(-1)?.['before']).toBe(8);
  });
  it('tells a chain that holds from one that does not, and what is not as it says', async () => {
    const { api, page } = await open([entry(7)]);
    const whole = { entries: 7, head: 'e'.repeat(64), rows: 30, rowFaults: [], rowFaultCount: 0, signedHeads: null };
    api.on(contract.verifyLedger, () => ({ ...whole, fault: null }));
    await page.press(/Verify the chain/);
    expect(page.text()).toContain('The chain holds: 7 entries');
    api.on(contract.verifyLedger, () => ({ ...whole, fault: { seq: 4, fault: 'hash' } }));
    await page.press(/Verify the chain/);
    expect(page.text()).toContain('Entry 4 was changed');
    api.on(contract.verifyLedger, () => ({
      ...whole,
      fault: null,
      rowFaultCount: 1,
      rowFaults: [{ table: 'runs', id: '5', fault: 'changed', seq: 3 }],
    }));
    await page.press(/Verify the chain/);
    expect(page.text()).toContain('1 of 30 rows are not what it says');
    expect(page.text()).toContain('runs 5 was changed, last written by entry 3');
  });

  it('links no key that names two records, or none', async () => {
    openWeb(['auditor']);
    const page = await mount(EntryLine, { of: entry(1, { kind: 'trace', action: 'trace drawn', key: 'C-1 → R-1' }) });
    expect(page.all('a')).toEqual([]);
    expect(page.text()).toContain('ada drew the trace C-1 → R-1');
  });
});

describe('Long work', () => {
  const job = (id: number, more: Partial<Job> = {}): Job => ({
    id,
    kind: 'pack',
    state: 'running',
    progress: 0.4,
    message: 'Collecting run 3 of 9',
    build: '1.0',
    by: 'ada',
    createdAt: '2026-03-01T10:00:00.000Z',
    finishedAt: null,
    file: null,
    ...more,
  });
  const open = async (jobs: Job[]) => {
    const { api } = openWeb(['author']);
    api.on(contract.listJobs, () => jobs).on(contract.cancelJob, () => ({ ok: true }));
    const page = await mount(JobsPanel);
    return { api, page };
  };

  it('shows how far it is, and is cancelled by whoever began it', async () => {
    const { api, page } = await open([job(4), job(5, { by: 'tom' })]);
    expect(page.text()).toContain('Collecting run 3 of 9');
    expect(page.one('mat-progress-bar').getAttribute('aria-valuenow')).toBe('40');
    expect(page.all('button').length).toBe(1);
    await page.press(/Cancel/);
    expect(api.of(contract.cancelJob)).toEqual([{ project: 'demo', id: 4 }]);
    page.fixture.destroy();
  });
  it('gives what it made, and says what failed', async () => {
    const file = { name: 'proof-pack-1.0-7.zip', bytes: 10, sha256: 'a'.repeat(64) };
    const { page } = await open([job(4, { state: 'done', file, message: '' }), job(5, { state: 'failed', message: 'The disk is full.' })]);
    expect(page.one<HTMLAnchorElement>('a[download]').getAttribute('href')).toBe('/api/projects/demo/packs/4/file');
    expect(page.text()).toContain('The disk is full.');
    expect(page.all('mat-progress-bar')).toEqual([]);
  });
  it('says so where nothing is at work', async () => {
    const { page } = await open([]);
    expect(page.text()).toContain('Nothing long is at work');
  });
});
