import { groupBy, sha256Hex } from '../../base';
import { proposeNumbers, proposeSteps, type NumberProposal } from '../rows';
import type { CaseContent, CaseStep } from '../case';

/** At which grain a requirement is shown. */
export const grains = ['case', 'step', 'rows', 'none'] as const;
/** A case of its own; a step in the case of the requirement above it; several cases by its proposed data; or no test. */
export type Grain = (typeof grains)[number];

export interface TreeRequirement {
  readonly key: string;
  /** The one above it in the tree; null at the top. */
  readonly parent: string | null;
  readonly kind: 'heading' | 'requirement' | 'note';
  readonly title: string;
  readonly text: string;
  readonly method: string;
}

/** A case that is there already: made from a requirement's text by this plan, or by hand. */
export interface ExistingCase {
  readonly key: string;
  readonly verifies: readonly string[];
  /** Which draft of the plan it was, and from which text; absent for a case made by hand. */
  readonly madeFrom?: { readonly draft: string; readonly fingerprint: string };
}

export interface CaseDraft {
  /** The same for the same place in the tree, so that nothing is made twice. */
  readonly draft: string;
  readonly fingerprint: string;
  readonly content: CaseContent;
  readonly verifies: readonly string[];
}

export interface TreePlan {
  /** What is proposed or chosen for each requirement, with the reason where it is proposed. */
  readonly grains: readonly { readonly key: string; readonly grain: Grain; readonly why: string; readonly chosen: boolean }[];
  readonly make: readonly CaseDraft[];
  /** A case that stands, and requirements that it should verify as well. */
  readonly link: readonly { readonly case: string; readonly requirement: string }[];
  readonly skipped: readonly { readonly draft: string; readonly case: string; readonly why: 'made before' | 'made by hand' }[];
  /** Drafts made before that no longer say what their requirement says now. */
  readonly outdated: readonly { readonly case: string; readonly draft: string; readonly now: CaseContent }[];
}

/** Is a requirement verified by test: by cases that are run? It is where nobody names a method. */
export const verifiedByTest = (method: string): boolean => !method || method === 'test';

/** The proposal for one requirement, before the author says anything. */
export function proposeGrain(r: TreeRequirement, above: Grain | undefined, leaf: boolean): { readonly grain: Grain; readonly why: string } {
  if (r.kind !== 'requirement') return { grain: 'none', why: 'A heading asks for nothing itself.' };
  if (!verifiedByTest(r.method)) return { grain: 'none', why: `It is verified by ${r.method}.` };
  const numbers = proposeNumbers(r.text);
  if (numbers.length) return { grain: 'rows', why: `Its words give data: ${numbers.map((n) => n.words).join(', ')}.` };
  if (leaf && above === 'case' && r.text.length <= 200)
    return { grain: 'step', why: 'It is small, and stands under a requirement with a case.' };
  return { grain: 'case', why: leaf ? 'It stands by itself.' : 'Others stand under it: it gathers them.' };
}

const clean = (text: string): string => text.replace(/\s+/g, ' ').trim();
const fingerprintOf = (parts: readonly TreeRequirement[]): string =>
  sha256Hex(parts.map((r) => `${r.key}\n${clean(r.title)}\n${clean(r.text)}`).join('\n\n'));

function stepOf(r: TreeRequirement): CaseStep[] {
  const [criterion] = proposeSteps(r.text);
  if (criterion) return [...criterion.steps];
  return [{ action: `Bring about what ${r.key} speaks of: ${clean(r.title)}`, expected: clean(r.text) || clean(r.title) }];
}

function rowCases(r: TreeRequirement, numbers: readonly NumberProposal[]): { suffix: string; title: string; steps: CaseStep[] }[] {
  return numbers.flatMap(({ parameter, rows, words }) =>
    rows.map(({ value, valid }) => {
      const given = `${parameter.name} = ${value}${parameter.unit ? ` ${parameter.unit}` : ''}`;
      return {
        suffix: `${parameter.name}=${value}`,
        title: `${clean(r.title)}: ${given}`,
        steps: [{ action: `Set ${given}`, expected: `${valid ? 'As required' : 'Not as required, outside'} (${words}): ${clean(r.text)}` }],
      };
    }),
  );
}

/**
 * What to make of a requirement tree, so that nothing is typed twice. The author's choices go before the proposals, branch by branch; what
 * was made before, or by hand, is not made again; drafts whose requirement now says something else are told, never changed.
 */
export function planCases(
  requirements: readonly TreeRequirement[],
  existing: readonly ExistingCase[] = [],
  choices: ReadonlyMap<string, Grain> = new Map(),
): TreePlan {
  const byKey = new Map(requirements.map((r) => [r.key, r]));
  const children = groupBy(requirements, (r) => r.parent);
  const grainOf = new Map<string, { grain: Grain; why: string; chosen: boolean }>();
  const walking = new Set<string>();
  const settle = (r: TreeRequirement): Grain => {
    const known = grainOf.get(r.key);
    if (known) return known.grain;
    const parent = r.parent === null || walking.has(r.key) ? undefined : byKey.get(r.parent);
    walking.add(r.key);
    const above = parent && settle(parent);
    const chosen = choices.get(r.key);
    const proposed = proposeGrain(r, above, !children.has(r.key));
    // A step needs a case above to stand in.
    const wanted = chosen ?? proposed.grain;
    const grain = wanted === 'step' && above !== 'case' ? 'case' : wanted;
    grainOf.set(r.key, { grain, why: chosen ? 'Chosen.' : proposed.why, chosen: chosen !== undefined });
    return grain;
  };
  requirements.forEach(settle);
  const drafts = requirements.flatMap((r): CaseDraft[] => {
    const grain = grainOf.get(r.key)?.grain;
    if (grain === 'rows') {
      const fingerprint = fingerprintOf([r]);
      return rowCases(r, proposeNumbers(r.text)).map(({ suffix, title, steps }) => ({
        draft: `${r.key} ${suffix}`,
        fingerprint,
        content: draftContent(title, r, steps),
        verifies: [r.key],
      }));
    }
    if (grain !== 'case') return [];
    const within = (children.get(r.key) ?? []).filter((c) => grainOf.get(c.key)?.grain === 'step');
    return [
      {
        draft: r.key,
        fingerprint: fingerprintOf([r, ...within]),
        content: draftContent(clean(r.title), r, [...stepOf(r), ...within.flatMap(stepOf)]),
        verifies: [r.key, ...within.map((c) => c.key)],
      },
    ];
  });
  return {
    grains: requirements.map((r) => ({ key: r.key, ...(grainOf.get(r.key) as { grain: Grain; why: string; chosen: boolean }) })),
    ...compare(drafts, existing),
  };
}

function draftContent(title: string, r: TreeRequirement, steps: readonly CaseStep[]): CaseContent {
  const [criterion] = proposeSteps(r.text);
  return {
    title: title.slice(0, 300),
    objective: `Shows that ${r.key} holds: ${clean(r.text) || clean(r.title)}`,
    preconditions: criterion?.preconditions ?? '',
    steps,
    plannedMinutes: 0,
  };
}

function compare(
  drafts: readonly CaseDraft[],
  existing: readonly ExistingCase[],
): Pick<TreePlan, 'make' | 'link' | 'skipped' | 'outdated'> {
  const made = new Map(existing.flatMap((c) => (c.madeFrom ? [[c.madeFrom.draft, c] as const] : [])));
  const byHand = existing.filter((c) => !c.madeFrom);
  const plan = {
    make: [] as CaseDraft[],
    link: [] as TreePlan['link'][number][],
    skipped: [] as TreePlan['skipped'][number][],
    outdated: [] as TreePlan['outdated'][number][],
  };
  for (const draft of drafts) {
    const before = made.get(draft.draft);
    if (before) {
      plan.skipped.push({ draft: draft.draft, case: before.key, why: 'made before' });
      if (before.madeFrom?.fingerprint !== draft.fingerprint)
        plan.outdated.push({ case: before.key, draft: draft.draft, now: draft.content });
      for (const requirement of draft.verifies)
        if (!before.verifies.includes(requirement)) plan.link.push({ case: before.key, requirement });
      continue;
    }
    const hand = byHand.find((c) => c.verifies.includes(draft.verifies[0]));
    if (!hand) {
      plan.make.push(draft);
      continue;
    }
    plan.skipped.push({ draft: draft.draft, case: hand.key, why: 'made by hand' });
    for (const requirement of draft.verifies)
      if (!existing.some((c) => c.verifies.includes(requirement))) plan.link.push({ case: hand.key, requirement });
  }
  return plan;
}
