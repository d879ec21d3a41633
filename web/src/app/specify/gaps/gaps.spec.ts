import * as contract from '@contract/specify';
import { usualTraceRules, tracePattern, type TraceRule } from '@core/specify';
import { mount, openWeb } from '../../base/testing';
import { rooms, serve } from '../testing';
import { gapCommands, gapFeature } from './state';
import { TraceRules } from './trace-rules';

describe('The rules of trace', () => {
  const open = async (roles: readonly ('author' | 'auditor')[] = ['author']) => {
    const { api } = openWeb(roles, [...(rooms as never[]), { feature: gapFeature, effects: gapCommands }] as never);
    serve(api, () => []);
    const plain = (rules: readonly TraceRule[]) => rules.map((rule) => ({ ...rule }));
    api
      .on(contract.getTraceRules, () => ({
        rules: plain(usualTraceRules),
        usual: true,
        pattern: plain(tracePattern('IEC 61508', ['SIL 2', 'SIL 3'])),
        found: { noCase: 3 },
      }))
      .on(contract.tryTraceRules, ({ rules }) => ({ found: Object.fromEntries((rules as TraceRule[]).map(({ id }) => [id, 7])) }))
      .on(contract.saveTraceRules, ({ rules }) => ({ rules: rules as TraceRule[], usual: false, pattern: [], found: {} }));
    return { api, page: await mount(TraceRules) };
  };
  const rules = (given: Record<string, unknown>): TraceRule[] => given['rules'] as TraceRule[];

  it('say how many gaps each finds, and are kept only where something changed', async () => {
    const { api, page } = await open();
    expect(page.all('fieldset').length).toBe(4);
    expect(page.text()).toContain('3 gaps');
    expect(page.missing(/Keep these rules/)).toBe('Nothing changed.');
    page.all<HTMLInputElement>('fieldset').at(1)?.querySelector<HTMLInputElement>('input[type=checkbox]')?.click();
    await page.settled();
    await page.press(/Keep these rules/);
    expect(rules(api.of(contract.saveTraceRules)[0])[1].unless).toEqual(['topLevel']);
  });

  it('are taken from the pattern of the standard, counted before they are kept, added and taken off', async () => {
    const { api, page } = await open();
    await page.press(/pattern for IEC 61508/);
    expect(page.all('fieldset').length).toBe(5);
    expect(api.of(contract.tryTraceRules).length).toBe(1);
    expect(page.all('fieldset .tag').at(-1)?.textContent).toContain('7 gaps');
    await page.press(/^\s*Rule\s*$/);
    expect(page.missing(/Keep these rules/)).toBe('A rule: It needs a name.');
    await page.press(/Take off No case/);
    expect(page.all('fieldset').length).toBe(5);
  });

  it('are only read by who may not write them', async () => {
    const { page } = await open(['auditor']);
    expect(page.all<HTMLFieldSetElement>('fieldset').every((f) => f.disabled)).toBeTrue();
    expect(page.all('button').some((b) => /Keep/.test(b.textContent ?? ''))).toBeFalse();
  });
});
