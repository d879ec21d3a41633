import type { Finding } from '../../base';
import type { CaseContent } from '../case';
import { readingsFindings } from '../readings';
import type { CasePart } from './kinds';
import { placeholderFindings } from './placeholder';

/**
 * What stands in the way of an approval. Common practice: one action a step, one expected result that can be observed,
 * so that somebody else can run it.
 */
export function caseFaults(content: CaseContent, part: CasePart = 'steps'): string[] {
  const faults: string[] = [];
  if (!content.title.trim()) faults.push('It has no title.');
  if (!content.objective.trim()) faults.push('It has no objective.');
  if (part === 'script') {
    if (!content.script?.trim()) faults.push('It has no script.');
  } else if (!content.steps.length) faults.push(part === 'checklist' ? 'It has no points to look at.' : 'It has no steps.');
  content.steps.forEach((step, i) => {
    if (step.call) return;
    if (!step.action.trim()) faults.push(`Step ${i + 1} has no action.`);
    if (part === 'steps' && !step.expected.trim()) faults.push(`Step ${i + 1} has no expected result.`);
    if (step.evidence === 'reading' && !step.readings?.length) faults.push(`Step ${i + 1} must be shown by a reading, and asks for none.`);
  });
  faults.push(...readingsFindings(content).flatMap((finding) => (finding.severity === 'error' ? [finding.text] : [])));
  const names = (content.rows ?? []).map((row) => row.name.trim());
  if (names.some((name) => !name)) faults.push('A data row has no name.');
  if (new Set(names).size < names.length) faults.push('Two data rows have the same name.');
  faults.push(...rowFindings(content).flatMap((finding) => (finding.severity === 'error' ? [finding.text] : [])));
  return faults;
}

/** What does not go together between the texts and the data rows of a case. */
export function rowFindings(content: CaseContent): Finding[] {
  return placeholderFindings(
    content,
    (content.rows ?? []).map((row) => row.values),
  );
}
