import { listThreads, type ThreadRow } from '@contract/prove';
import { Router } from '@angular/router';
import { TestBed } from '@angular/core/testing';
import { listOver, mount, openWeb } from '../../base/testing';
import { rooms, serve } from '../testing';
import { ThreadsPage } from './threads-page';

const end = (key: string, state = 'approved', suspect = false) => ({ key, title: `About ${key}`, state, suspect });
const thread = (n: number, more: Partial<ThreadRow & { kind: string }> = {}): ThreadRow =>
  ({
    kind: 'requirement',
    key: `BRK-00${n}`,
    title: `Title ${n}`,
    state: 'approved',
    level: 'SIL 3',
    specification: 'BRK',
    needsParent: true,
    parents: [],
    children: [],
    cases: [],
    runs: [],
    functions: [],
    notInCode: false,
    problems: [],
    ...more,
  }) as ThreadRow;

describe('The table of threads', () => {
  const open = async () => {
    const { api } = openWeb(['author'], rooms);
    serve(api, () => []);
    const rows = [
      thread(1, {
        parents: [end('SYS-001', 'approved', true)],
        cases: [end('C-001')],
        runs: [end('RUN-1', 'failed'), end('RUN-2', 'passed')],
        functions: ['brake_close'],
        problems: [end('PR-1', 'open')],
      }),
      thread(2),
    ];
    api.on(
      listThreads,
      listOver(() => rows),
    );
    const page = await mount(ThreadsPage);
    page.element.style.height = '500px';
    page.element.style.display = 'block';
    await page.until(() => page.all('[role=row]').length);
    const cells = (i: number) => [...page.all('[role=row]')[i].querySelectorAll('[role=gridcell]')];
    return { api, page, cells };
  };

  it('is a table from the start: each row with its chain, each end a link with what is to be known of it', async () => {
    const { api, page, cells } = await open();
    expect(api.of(listThreads)[0]).toEqual(jasmine.objectContaining({ build: '1.0' }));
    const text = (i: number) => cells(i).map((c) => c.textContent?.replace(/\s+/g, ' ').trim());
    expect(text(0)).toEqual([
      'SYS-001 suspect',
      'BRK-001',
      'Title 1',
      'approved',
      '',
      'C-001',
      'RUN-1 failedRUN-2 passed',
      'brake_close',
      'PR-1 open',
    ]);
    expect(cells(0)[6].querySelector('.t-broken')?.textContent).toContain('RUN-1');
    expect(page.all('[role=gridcell] cp-record a').length).toBe(5);
  });

  it('shows gaps as gaps, each in its tone', async () => {
    const { cells } = await open();
    const bare = cells(1);
    expect([0, 5, 7].map((i) => [bare[i].textContent?.trim(), bare[i].querySelector('.t-broken, .t-waiting')?.className])).toEqual([
      ['no parent', 't-broken'],
      ['no case', 't-broken'],
      ['no code', 't-waiting'],
    ]);
  });

  it('leads to the requirement, and keeps in the address that somebody wants rows instead', async () => {
    const { page } = await open();
    const went = spyOn(TestBed.inject(Router), 'navigate').and.resolveTo(true);
    await page.key(page.one('[role=grid]'), 'Enter');
    expect(went.calls.allArgs().map(([path]) => path)).toContain(['/', 'demo', 'specify', 'requirement', 'BRK-001']);
    await page.press(/As a table/);
    expect(page.all('[role=grid]').length).toBe(0);
    const kept = (): unknown[] => went.calls.allArgs().map(([, extras]) => extras?.queryParams?.['t'] as unknown);
    await page.until(() => kept().includes('0'));
    expect(kept()).toContain('0');
  });
});
