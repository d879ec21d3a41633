import { TestBed } from '@angular/core/testing';
import { getCase } from '@contract/design';
import { command } from '../command';
import { mount, openWeb } from '../testing';
import { Opening } from './opening';

describe('Where a record will stand', () => {
  const open = command('[Spec] open', getCase);
  const started = open.start({ project: 'p', key: 'C-9' });
  const failed = open.failed({
    input: started.input,
    problem: { type: '', title: 'Not found', status: 404, code: 'notFound', detail: 'There is no case C-9.' },
    command: open.name,
    phase: 'failed',
  });
  afterEach(() => TestBed.resetTestingModule());
  const shown = async (more: Readonly<Record<string, unknown>> = {}) => {
    const { store } = openWeb(['tester']);
    store.dispatch(started);
    const page = await mount(Opening, { key: 'C-9', by: open.name, ...more });
    expect(page.text()).toContain('Opening C-9 …');
    return { store, page };
  };

  it('says why it is not shown, and while another is opened that this one is', async () => {
    const { store, page } = await shown();
    store.dispatch(failed);
    await page.settled();
    expect(page.one('[role=alert]').textContent).toContain('C-9 is not shown');
    expect(page.text()).toContain('There is no case C-9.');
    store.dispatch(open.start({ project: 'p', key: 'C-8' }));
    await page.settled();
    expect(page.text()).not.toContain('There is no case');
  });

  it('says that it was not among what came, where the answer is a list', async () => {
    const { store, page } = await shown({ otherwise: 'There is no report C-9.' });
    store.dispatch(open.done({ input: started.input, answer: {} as never, command: open.name, phase: 'done' }));
    await page.settled();
    expect(page.text()).toContain('There is no report C-9.');
  });
});
