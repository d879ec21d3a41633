/** How a requirement is to be shown to hold; the four methods that the trade's standards name. */
export const verificationMethods = ['test', 'analysis', 'inspection', 'demonstration'] as const;
export type VerificationMethod = (typeof verificationMethods)[number];

export const requirementStates = ['draft', 'review', 'approved', 'retired'] as const;
export type RequirementState = (typeof requirementStates)[number];

/** What a requirement may have beside its text. A member is absent where there is nothing to say. */
export interface RequirementDetails {
  /** What must be seen for it to be accepted, one by one. */
  readonly criteria?: readonly string[];
  /** Where it comes from, if not from a requirement: a clause, a contract, a hazard. */
  readonly source?: string;
  readonly risk?: string;
  readonly priority?: string;
  readonly tags?: readonly string[];
}

/** The same with every member: empty where there is nothing. */
export const detailsOf = ({ criteria = [], source = '', risk = '', priority = '', tags = [] }: RequirementDetails) => ({
  criteria: [...criteria],
  source,
  risk,
  priority,
  tags: [...tags],
});

/** The members that say something: trimmed, criteria and tags without empty ones, each tag once. */
export function saidDetails(given: RequirementDetails): RequirementDetails {
  const all = detailsOf(given);
  const criteria = all.criteria.map((text) => text.trim()).filter(Boolean);
  const tags = [...new Set(all.tags.map((tag) => tag.trim()).filter(Boolean))];
  const [source, risk, priority] = [all.source.trim(), all.risk.trim(), all.priority.trim()];
  return {
    ...(criteria.length ? { criteria } : {}),
    ...(source ? { source } : {}),
    ...(risk ? { risk } : {}),
    ...(priority ? { priority } : {}),
    ...(tags.length ? { tags } : {}),
  };
}

/** What one revision of a requirement says. A snapshot of it is kept for every revision. */
export interface RequirementContent extends RequirementDetails {
  /** A note explains and asks for nothing: it is read, not verified. */
  readonly kind: 'heading' | 'requirement' | 'note';
  readonly title: string;
  /** As plain text: what is searched, compared and checked. */
  readonly text: string;
  /** The text as it is laid out, in clean HTML; absent where it is plain lines. */
  readonly html?: string;
  readonly rationale: string;
  /** As the project's standard names its levels (`SIL 3`, `class C`); empty while nobody has said. */
  readonly level: string;
  readonly method: VerificationMethod | '';
  /** Top level: it needs no parent. */
  readonly topLevel: boolean;
  /** Derived in the trade's sense: it comes from the design, not from a parent, and carries a rationale instead. */
  readonly derived: boolean;
  /** No code implements it (a mechanical interlock, a document); the rationale says why. */
  readonly notInCode: boolean;
  readonly notInCodeRationale: string;
}

export const emptyRequirement: RequirementContent = {
  kind: 'requirement',
  title: '',
  text: '',
  rationale: '',
  level: '',
  method: '',
  topLevel: false,
  derived: false,
  notInCode: false,
  notInCodeRationale: '',
};

export const requirementFields: readonly { readonly name: keyof RequirementContent; readonly label: string }[] = [
  { name: 'title', label: 'Title' },
  { name: 'text', label: 'Text' },
  { name: 'rationale', label: 'Rationale' },
  { name: 'level', label: 'Level' },
  { name: 'method', label: 'Verification method' },
  { name: 'topLevel', label: 'Top level' },
  { name: 'derived', label: 'Derived' },
  { name: 'notInCode', label: 'Not in code' },
  { name: 'notInCodeRationale', label: 'Why not in code' },
  { name: 'criteria', label: 'Acceptance criteria' },
  { name: 'source', label: 'Source' },
  { name: 'risk', label: 'Risk' },
  { name: 'priority', label: 'Priority' },
  { name: 'tags', label: 'Tags' },
  { name: 'kind', label: 'Kind' },
];

/** What stands in the way of an approval; empty when nothing does. */
export function approvalFaults(content: RequirementContent): string[] {
  const faults: string[] = [];
  if (!content.title.trim()) faults.push('It has no title.');
  if (content.kind !== 'requirement') return faults;
  if (!content.text.trim()) faults.push('It has no text.');
  if (content.derived && !content.rationale.trim()) faults.push('It is marked derived and has no rationale.');
  if (content.notInCode && !content.notInCodeRationale.trim()) faults.push('It is marked “not in code” and does not say why.');
  return faults;
}
