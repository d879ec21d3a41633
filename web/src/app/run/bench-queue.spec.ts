import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { of } from 'rxjs';
import { setPresence } from '@contract/base';
import { reassignRun, type RunDetail, type RunSummary } from '@contract/run';
import type { Role } from '@core/base';
import { mount, openWeb, type FakeApi, type Mounted } from '../base/testing';
import { useCompany } from './bench-company';
import { BenchQueue } from './bench-queue';
import { runCommands, runFeature } from './state';

const item = (n: number, more: Partial<RunSummary> = {}): RunSummary =>
  ({
    key: `RUN-${n}`,
    round: 'R-1',
    build: '1.0',
    caseKey: `C-00${n}`,
    caseTitle: n % 2 ? 'Valve opens' : 'Door closes',
    row: null,
    configuration: 'rig 1',
    tester: 'ada',
    testerName: 'Ada Lund',
    state: 'planned',
    verdict: null,
    carriedOver: false,
    ...more,
  }) as RunSummary;
const detail = (n: number, more: object = {}): RunDetail => ({ ...item(n), startedAt: null, ...more }) as unknown as RunDetail;

@Component({
  selector: 'cp-queue-host',
  imports: [BenchQueue],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<cp-bench-queue [current]="run()" [items]="items()" [folders]="folders()" (turned)="turned.set($event)" />
    <p class="others">{{ company.others() }}</p>
    @if (company.mayTake()) {
      <button type="button" (click)="company.takeOver()">Take it over</button>
    }`,
})
class Host {
  readonly run = signal<RunDetail>(detail(1));
  readonly items = signal<readonly RunSummary[]>([]);
  readonly folders = signal<Readonly<Record<string, string>>>({});
  readonly turned = signal('');
  private readonly key = signal('RUN-1');
  protected readonly company = useCompany(this.key, this.run);
}

describe('the runs of a round beside the Bench', () => {
  let api: FakeApi;
  let page: Mounted<Host>;
  let host: Host;
  const open = async (items: readonly RunSummary[], roles: Role[] = ['tester'], run = detail(1)): Promise<void> => {
    const dialogs = { open: () => ({ afterClosed: () => of('They are ill.') }) };
    ({ api } = openWeb(roles, [{ feature: runFeature, effects: runCommands }] as never, [{ provide: MatDialog, useValue: dialogs }]));
    api
      .on(setPresence, () => [
        { login: 'ada', printedName: 'Ada Lund', field: 'steps' },
        { login: 'tom', printedName: 'Tom Vale', field: 'steps' },
      ])
      .on(reassignRun, () => detail(1, { tester: 'ada' }));
    page = await mount(Host);
    host = page.fixture.componentInstance;
    host.run.set(run);
    host.items.set(items);
    await page.settled();
  };
  const keys = (): string[] => page.all('.item b').map((b) => b.textContent ?? '');

  it('are filtered by words, by how they stand, by whom and by configuration; the open one stays', async () => {
    await open([
      item(1),
      item(2, { verdict: 'passed', state: 'recorded' }),
      item(3, { verdict: 'failed', state: 'recorded' }),
      item(4, { tester: 'tom', testerName: 'Tom Vale', configuration: 'rig 2' }),
    ]);
    expect(keys()).toEqual(['C-001', 'C-002', 'C-003', 'C-004']);
    expect(page.text()).toContain('2 of 4 runs recorded');
    await page.write(/with these words/, 'door');
    expect(keys()).toEqual(['C-001', 'C-002', 'C-004']);
    await page.write(/with these words/, '');
    await page.write(/How they stand/, 'open');
    expect(keys()).toEqual(['C-001', 'C-004']);
    await page.write(/How they stand/, 'broken');
    expect(keys()).toEqual(['C-001', 'C-003']);
    await page.write(/How they stand/, 'all');
    await page.write(/Whose/, 'tom');
    expect(keys()).toEqual(['C-001', 'C-004']);
    await page.write(/In which configuration/, 'rig 1');
    expect(keys()).toEqual(['C-001']);
    await page.press(/1 of 4: show all/);
    expect(keys().length).toBe(4);
  });

  it('are filtered by the folder of their case, where there are several', async () => {
    await open([item(1), item(2), item(3)]);
    expect(page.all('select').length).toBe(1);
    host.folders.set({ 'C-001': 'Brake', 'C-002': 'Doors' });
    await page.settled();
    await page.write(/In which folder/, 'Doors');
    expect(keys()).toEqual(['C-001', 'C-002']);
    await page.press(/2 of 3: show all/);
    expect(keys().length).toBe(3);
  });

  it('are gone through by keys, those only that are shown', async () => {
    await open([item(1), item(2), item(3)]);
    await page.write(/with these words/, 'valve');
    await page.key(document.body, 'PageDown', { altKey: true });
    expect(host.turned()).toBe('RUN-3');
    host.turned.set('');
    await page.key(document.body, 'PageUp', { altKey: true });
    expect(host.turned()).toBe('');
  });

  it('have nothing to filter by where there is one', async () => {
    await open([item(1)]);
    expect(page.all('input, select').length).toBe(0);
  });

  it('tell everybody who else has the run open', async () => {
    await open([item(1)]);
    expect(api.of(setPresence)[0]).toEqual({ project: 'demo', key: 'RUN-1', field: 'steps' });
    expect(page.one('.others').textContent).toBe('Tom Vale has');
    page.fixture.destroy();
    expect(api.of(setPresence).at(-1)).toEqual({ project: 'demo', key: 'RUN-1', field: 'steps', here: false });
  });

  it('are taken over with a reason while nobody has begun them', async () => {
    await open([item(1)], ['tester'], detail(1, { tester: 'tom', testerName: 'Tom Vale' }));
    await page.press(/Take it over/);
    expect(api.of(reassignRun)).toEqual([{ project: 'demo', key: 'RUN-1', tester: 'ada', reason: 'They are ill.' }]);
  });

  it('are not taken over once begun, nor by who does not test, nor from oneself', async () => {
    await open([item(1)], ['tester'], detail(1, { tester: 'tom', state: 'onBench', startedAt: '2026-03-01T10:00:00.000Z' }));
    expect(page.text()).not.toContain('Take it over');
    host.run.set(detail(1));
    await page.settled();
    expect(page.text()).not.toContain('Take it over');
  });
});
