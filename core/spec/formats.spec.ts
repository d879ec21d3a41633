import { readFileSync } from 'node:fs';
import { ledgerHash, ledgerText, textHash, type LedgerFacts, type RecordFormat } from '../src/base';
import { caseFormat, caseText, caseText2, caseText5, modelText, type CaseContent, type ModelContent } from '../src/design';
import { runHash, runText, type RunRecord } from '../src/run';
import {
  requirementFormat,
  requirementText,
  requirementText2,
  requirementText3,
  requirementText4,
  type RequirementContent,
} from '../src/specify';

interface Golden {
  readonly what: string;
  readonly format: number;
  readonly given: unknown;
  readonly text: string;
  readonly sha256: string;
}
interface Of<Content> {
  readonly key: string;
  readonly revision: number;
  readonly content: Content;
}

/** The encoder of each released format. */
const encoders: Readonly<Record<string, (given: never) => string>> = {
  'run 1': (given: RunRecord) => runText(1, given),
  'run 2': (given: RunRecord) => runText(2, given),
  'run 5': (given: RunRecord) => runText(5, given),
  'run 6': (given: RunRecord) => runText(6, given),
  'run 7': (given: RunRecord) => runText(7, given),
  'case 5': ({ key, revision, content }: Of<CaseContent>) => caseText5(key, revision, content),
  'flow 5': ({ key, revision, content }: Of<ModelContent>) => modelText(key, revision, content),
  'case 2': ({ key, revision, content }: Of<CaseContent>) => caseText2(key, revision, content),
  'requirement 2': ({ key, revision, content }: Of<RequirementContent>) => requirementText2(key, revision, content),
  'requirement 3': ({ key, revision, content }: Of<RequirementContent>) => requirementText3(key, revision, content),
  'requirement 4': ({ key, revision, content }: Of<RequirementContent>) => requirementText4(key, revision, content),
  'ledger entry 1': (given: LedgerFacts & { previous: string }) => ledgerText(given, given.previous),
  'ledger entry 2': (given: LedgerFacts & { previous: string }) => ledgerText(given, given.previous),
};

// The golden files were written by core/fixtures/formats/make.py, which knows none of this code.
describe('the formats of what is signed and chained', () => {
  const goldens = JSON.parse(readFileSync('core/fixtures/formats/formats.json', 'utf8')) as Golden[];

  it('have a golden file each', () => {
    expect([...new Set(goldens.map(({ what, format }) => `${what} ${format}`))].sort()).toEqual(Object.keys(encoders).sort());
  });

  for (const { what, format, given, text, sha256 } of goldens)
    it(`${what}, format ${format}: the text and its hash are what they were`, () => {
      const encoded = encoders[`${what} ${format}`](given as never);
      expect(encoded).toBe(text);
      expect(textHash(encoded)).toBe(sha256);
      // A member that no format knows changes nothing; every member that it knows does.
      expect(encoders[`${what} ${format}`]({ ...(given as object), added: 1 } as never)).toBe(text);
    });

  it('bind the layout of a text that has one, and leave one in plain words as it always was', () => {
    const { key, revision, content } = goldens.find((g) => g.what === 'requirement' && g.format === 3)?.given as Of<RequirementContent>;
    const { html: _, ...plain } = content;
    expect([requirementFormat(content), requirementFormat(plain)]).toEqual([3, 2]);
    expect(requirementText(key, revision, content)).toBe(requirementText3(key, revision, content));
    expect(requirementText(key, revision, plain)).toBe(requirementText2(key, revision, plain));
    const more = { ...content, tags: ['brake'] };
    expect([requirementFormat(more), requirementFormat({ ...plain, criteria: [' '], source: ' ' })]).toEqual([4, 2]);
    expect(requirementText(key, revision, more)).toBe(requirementText4(key, revision, more));
  });

  it('leave a case of plain steps as it always was, and bind all of one that has more', () => {
    const { key, revision, content } = goldens.find((g) => g.what === 'case' && g.format === 5)?.given as Of<CaseContent>;
    const plain = (goldens.find((g) => g.what === 'case' && g.format === 2)?.given as Of<CaseContent>).content;
    expect([caseFormat(content), caseFormat(plain), caseFormat({ ...plain, tags: [], kind: ' ', layout: {}, samples: null })]).toEqual([
      5, 2, 2,
    ]);
    expect(caseText(key, revision, content)).toBe(caseText5(key, revision, content));
    expect(caseText(key, revision, plain)).toBe(caseText2(key, revision, plain));
    const [first, ...rest] = plain.steps;
    for (const more of [{ data: 'x' }, { evidence: 'file' as const }, { verifies: ['BRK-001'] }, { layout: { action: '<p>x</p>' } }])
      expect(caseFormat({ ...plain, steps: [{ ...first, ...more }, ...rest] }))
        .withContext(JSON.stringify(more))
        .toBe(5);
  });

  it('hash what they encode', () => {
    const run = goldens.find((g) => g.what === 'run' && g.format === 1);
    expect(runHash(1 as RecordFormat, run?.given as RunRecord)).toBe(run?.sha256 ?? '');
    const entry = goldens.find((g) => g.what === 'ledger entry' && g.format === 2);
    const facts = entry?.given as LedgerFacts & { previous: string };
    expect(ledgerHash(facts, facts.previous)).toBe(entry?.sha256 ?? '');
  });
});
